//! What the keys do: all of them, or those that decide.

use ratatui::layout::Rect;
use ratatui::style::Style;

use super::cells::Canvas;
use crate::keys::{Binding, CHAPTERS, decisions};
use crate::machine::State;

/// The width of the column for keys.
const KEYS: u16 = 9;

/// All keys, from this line on.
pub(super) fn help(canvas: &mut Canvas<'_>, from: usize, area: Rect) {
    let mut lines: Vec<Result<&Binding, &str>> = Vec::new();
    for chapter in CHAPTERS {
        if !lines.is_empty() {
            lines.push(Err(""));
        }
        lines.push(Err(chapter.title));
        lines.extend(chapter.bindings.iter().map(Ok));
    }
    let height = u16::try_from(lines.len() + 2).unwrap_or(u16::MAX);
    let inside = canvas.window(area, 66, height.min(area.height), "Keys (Esc closes this)");
    let from = from.min(lines.len().saturating_sub(inside.height.into()));
    let all = lines.len();
    for (y, line) in (inside.y..inside.bottom()).zip(lines.into_iter().skip(from)) {
        match line {
            Ok(binding) => self::binding(canvas, binding, Rect { y, height: 1, ..inside }),
            Err(title) => {
                let heading = canvas.palette.heading();
                canvas.text(inside.x, y, inside.width, title, heading);
            }
        }
    }
    if from + usize::from(inside.height) < all {
        let last = Rect { y: inside.bottom(), height: 1, ..inside };
        canvas.text_right(last, " ↓ more ", canvas.palette.strong());
    }
}

/// What can be decided about what is chosen.
pub(super) fn decide(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let chapter = decisions();
    let height = u16::try_from(chapter.bindings.len() + 2).unwrap_or(u16::MAX);
    let title = match state.list.marked() {
        0 => "Decide about the current target".to_owned(),
        marked => format!(
            "Decide about {}",
            rummage_view::counted(marked as u64, "marked target", "marked targets")
        ),
    };
    let inside = canvas.window(area, 58, height, &title);
    for (y, binding) in (inside.y..inside.bottom()).zip(chapter.bindings) {
        self::binding(canvas, binding, Rect { y, height: 1, ..inside });
    }
}

fn binding(canvas: &mut Canvas<'_>, binding: &Binding, row: Rect) {
    let strong = canvas.palette.strong();
    canvas.text(row.x, row.y, KEYS.min(row.width), binding.shown, strong);
    let x = row.x + KEYS;
    canvas.text(x, row.y, row.width.saturating_sub(KEYS), binding.help, Style::new());
}
