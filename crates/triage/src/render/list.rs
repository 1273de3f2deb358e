//! The list: a line a target.

use ratatui::layout::Rect;
use ratatui::style::Style;
use rummage_core::url::reference::path_of;
use rummage_core::verdict::Verdict;
use rummage_view::{TargetId, TargetLine, count, counted};

use super::cells::{Canvas, cut_url, width};
use crate::machine::{Line, Rechecking, State};

/// From this width on, the cause is in words.
const CAUSES: u16 = 96;
/// From this width on, there is more room for its key.
const KEYS: u16 = 64;
/// The width of the column for the decision.
const DECISION: u16 = 11;

pub(super) fn draw(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    for (y, (line, is_current)) in (area.y..).zip(state.list.in_sight()) {
        let row = Rect { y, height: 1, ..area };
        match line {
            Line::Section(section) => self::section(canvas, state, section, row),
            Line::Target(at, section) => {
                let indent = if section.is_some() { 2 } else { 0 };
                target(canvas, state, at, indent, row);
            }
        }
        if is_current {
            // Where keys go elsewhere, the current line is shown less strongly.
            let style = match state.is_in_detail {
                true => canvas.palette.strong(),
                false => canvas.palette.current(),
            };
            canvas.style(row, style);
        }
    }
    if state.list.len() == 0 {
        let text = match (state.is_loading(), state.view.selection.is_empty(), &state.live) {
            (true, ..) => "Reading the store.",
            (false, _, Some(live)) if !live.has_ended => "Nothing was found so far.",
            (false, true, _) => "Nothing that was checked needs a decision.",
            (false, false, _) => "Nothing matches the filter. f changes it.",
        };
        canvas.text(area.x + 1, area.y, area.width.saturating_sub(1), text, Style::new());
    }
}

fn section(canvas: &mut Canvas<'_>, state: &State, number: u32, row: Rect) {
    let section = state.list.section(number);
    let ids = || section.targets.iter().map(|at| state.list.id(*at));
    let mark = match ids().filter(|id| state.list.is_marked(*id)).count() {
        0 => ' ',
        all if all == section.targets.len() => '*',
        _ => '-',
    };
    let targets = format!("  {}", counted(section.targets.len() as u64, "target", "targets"));
    let room = usize::from(row.width).saturating_sub(2 + width(&targets));
    let title = cut_url(&section.title, room);
    let strong = canvas.palette.strong();
    let used = canvas.text(row.x, row.y, row.width, &format!("{mark} {title}"), strong);
    let faint = canvas.palette.faint();
    canvas.text(row.x + used, row.y, row.width - used, &targets, faint);
}

fn target(canvas: &mut Canvas<'_>, state: &State, at: u32, indent: u16, row: Rect) {
    let id = state.list.id(at);
    let mark = if state.list.is_marked(id) { "*" } else { " " };
    canvas.text(row.x, row.y, 1, mark, canvas.palette.strong());
    let mut x = row.x + 1 + indent;
    let Some(line) = state.list.row(at) else {
        canvas.text(x, row.y, row.width.saturating_sub(1 + indent), "…", canvas.palette.faint());
        return;
    };
    let (cause, cause_width) = match row.width {
        CAUSES.. => (&line.cause, 26),
        KEYS.. => (&line.code, 12),
        _ => (&line.code, 7),
    };
    let badge = badge(line.verdict);
    let style = canvas.palette.verdict(line.verdict);
    x += canvas.text(x, row.y, row.right().saturating_sub(x), badge, style) + 1;
    canvas.text(x, row.y, cause_width.min(row.right().saturating_sub(x)), cause, Style::new());
    x += cause_width + 1;
    let (label, label_style) = decision(canvas, state, id, line);
    let links = count(line.links);
    let links_width = u16::try_from(links.len()).unwrap_or(5).max(4);
    let right = DECISION + 1 + links_width + 1;
    let room = row.right().saturating_sub(x).saturating_sub(right);
    canvas.text(x, row.y, room, &cut_url(shown_target(line), room.into()), Style::new());
    x += room + 1;
    let links =
        Rect { x, y: row.y, width: links_width.min(row.right().saturating_sub(x)), height: 1 };
    canvas.text_right(links, &count(line.links), Style::new());
    x += links_width + 1;
    canvas.text(x, row.y, row.right().saturating_sub(x), &label, label_style);
}

/// A verdict by its initial; the counts above the list are its legend.
fn badge(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Broken => " B ",
        Verdict::Doubtful => " D ",
        Verdict::Moved => " M ",
        Verdict::Sound => " S ",
        Verdict::Skipped => " - ",
    }
}

/// A target as short as it is clear: on the site, its path.
fn shown_target(line: &TargetLine) -> &str {
    let is_web = line.target.starts_with("http://") || line.target.starts_with("https://");
    match line.is_internal && is_web {
        true => path_of(&line.target),
        false => &line.target,
    }
}

/// What was decided or found since: a recheck, a decision, else what is news.
fn decision(
    canvas: &Canvas<'_>,
    state: &State,
    id: TargetId,
    line: &TargetLine,
) -> (String, Style) {
    let palette = canvas.palette;
    match state.journal.recheck(id) {
        Some(Rechecking::Running) => return ("checking".to_owned(), palette.strong()),
        Some(Rechecking::Done(now)) if !now.is_same => {
            let style = now.verdict.map_or(palette.decided(), |verdict| palette.verdict(verdict));
            let text = match now.verdict {
                Some(verdict) => format!("now {}", verdict.as_str()),
                None => "link gone".to_owned(),
            };
            return (text, style);
        }
        Some(Rechecking::Done(_)) | None => {}
    }
    if let Some(label) = state.journal.label(id) {
        return (label.to_owned(), palette.decided());
    }
    if let Some(Rechecking::Done(_)) = state.journal.recheck(id) {
        return ("unchanged".to_owned(), palette.faint());
    }
    if line.waived {
        return ("waived".to_owned(), palette.decided());
    }
    (line.standing.clone().unwrap_or_default(), palette.faint())
}
