//! The detail of the current target.

use ratatui::layout::Rect;
use ratatui::style::Style;

use super::cells::{Canvas, cut_url, wrap};
use crate::machine::{Rechecking, State, Tone};

/// How many lines a text takes at most: a server decides how long a URL is.
const MOST: usize = 4;

pub(super) fn draw(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let Some((at, id)) = state.list.current() else { return };
    if state.detail.of(id).is_none() {
        if let Some(row) = state.list.row(at) {
            let strong = canvas.palette.strong();
            canvas.text(area.x, area.y, area.width, &row.target, strong);
        }
        return;
    }
    let mut lines: Vec<(String, Style, bool)> = Vec::new();
    let selected = state.detail.selected();
    let mut selected_lines = 0..0;
    for (number, item) in state.detail.items().iter().enumerate() {
        let from = lines.len();
        let is_selected = state.is_in_detail && number == selected;
        for (tone, text) in &item.lines {
            let style = match tone {
                Tone::Plain => Style::new(),
                Tone::Strong => canvas.palette.strong(),
                Tone::Faint => canvas.palette.faint(),
                Tone::Heading => canvas.palette.heading(),
                Tone::Verdict(_) => canvas.palette.strong(),
            };
            let width = usize::from(area.width);
            for line in wrap(&cut_url(text, MOST * width), width) {
                lines.push((line, style, is_selected));
            }
        }
        if number == selected {
            selected_lines = from..lines.len();
        }
        if number == 0 {
            let decided = decided(canvas, state, id);
            lines.extend(decided.into_iter().flat_map(|(text, style)| {
                let all = wrap(&text, area.width.into());
                all.into_iter().map(move |line| (line, style, false))
            }));
        }
    }
    let height = usize::from(area.height);
    // The selected part is in sight, with as much before it as there is room for.
    let from = match state.is_in_detail {
        true => (selected_lines.end.saturating_sub(height)).min(selected_lines.start),
        false => 0,
    };
    for (y, (text, style, is_selected)) in
        (area.y..area.bottom()).zip(&lines[from.min(lines.len())..])
    {
        canvas.text(area.x, y, area.width, text, *style);
        if *is_selected {
            let row = Rect { y, height: 1, ..area };
            canvas.style(row, canvas.palette.current());
        }
    }
}

/// What was decided about the target, and what a recheck showed.
fn decided(canvas: &Canvas<'_>, state: &State, id: rummage_view::TargetId) -> Vec<(String, Style)> {
    let mut lines = Vec::new();
    let style = canvas.palette.decided();
    if let Some(text) = state.decision_text(id) {
        lines.push((text, style));
    } else if let Some(label) = state.journal.label(id) {
        lines.push((format!("decided earlier: {label}"), style));
    }
    match state.journal.recheck(id) {
        Some(Rechecking::Running) => lines.push(("checking again".to_owned(), style)),
        Some(Rechecking::Done(now)) => {
            let text = match now.verdict {
                None => "rechecked: no page links to it any more".to_owned(),
                Some(verdict) => format!("rechecked: {}, {}", verdict.as_str(), now.cause),
            };
            lines.push((text, style));
        }
        None => {}
    }
    lines
}
