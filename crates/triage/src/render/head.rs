//! The first lines: what is listed, and how many of each verdict.

use ratatui::layout::Rect;
use rummage_core::verdict::Verdict;
use rummage_view::{Group, TargetOrder, count, counted};

use super::cells::{Canvas, width};
use crate::machine::State;

pub(super) fn draw(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let line = |at: u16| Rect { y: area.y + at, height: 1, ..area };
    if area.height > 1 {
        title(canvas, state, line(0));
        counts(canvas, state, line(1));
    } else if area.height == 1 {
        counts(canvas, state, line(0));
    }
}

fn title(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let strong = canvas.palette.strong();
    let faint = canvas.palette.faint();
    let right = match &state.live {
        Some(live) => live.progress.clone(),
        None => String::new(),
    };
    let room = area.width.saturating_sub(u16::try_from(width(&right)).unwrap_or(u16::MAX));
    canvas.text_right(area, &right, faint);
    let used = canvas.text(area.x, area.y, room, &state.list.title, strong);
    let group = match state.view.group {
        Group::Target | Group::None => None,
        Group::Page => Some("by page"),
        Group::Host => Some("by host"),
        Group::Cause => Some("by cause"),
    };
    let order = match state.view.order {
        TargetOrder::Worst => None,
        TargetOrder::MostLinks => Some("most links first"),
        TargetOrder::Newest => Some("newest first"),
        TargetOrder::Url => Some("by URL"),
    };
    let selection = Some(state.view.selection.as_str()).filter(|text| !text.is_empty());
    let parts: Vec<&str> = [group, order, selection].into_iter().flatten().collect();
    let text = format!("  {}", parts.join(", "));
    canvas.text(area.x + used, area.y, room.saturating_sub(used), &text, faint);
}

fn counts(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let mut x = area.x;
    let list = &state.list;
    for (verdict, number) in &list.counts {
        let is_usual = matches!(verdict, Verdict::Broken | Verdict::Doubtful | Verdict::Moved);
        if *number == 0 && !is_usual {
            continue;
        }
        let style = canvas.palette.verdict(*verdict);
        let text = format!(" {} {} ", count(*number), verdict.as_str());
        x += canvas.text(x, area.y, area.right().saturating_sub(x), &text, style);
        x += 1;
    }
    let done = state.journal.done();
    let mut parts = vec![format!("on {}", counted(list.links, "link", "links"))];
    if list.marked() > 0 {
        parts.insert(0, format!("{} marked", count(list.marked() as u64)));
    }
    if done > 0 {
        parts.insert(0, format!("{} decided", count(done as u64)));
    }
    if state.is_loading() {
        parts.insert(0, "reading the store".to_owned());
    }
    let (at, all) = list.position();
    let position = format!("{}/{}", count(at as u64), count(all as u64));
    canvas.text_right(area, &position, canvas.palette.faint());
    let room = area.right().saturating_sub(x + u16::try_from(position.len()).unwrap_or(0) + 1);
    canvas.text(x, area.y, room, &parts.join(", "), ratatui::style::Style::new());
}
