//! What is filled in or confirmed, in a window over the list; and the changes of the plan.

use ratatui::layout::Rect;
use ratatui::style::Style;
use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_view::counted;

use super::cells::{Canvas, cut_url};
use super::foot::{hints, prompt};
use crate::effect::DiffLine;
use crate::machine::{ChangesPage, State, UrlForm, WaiveField, WaiveForm};

/// How wide a window is.
const WIDTH: u16 = 78;
/// How many proposals are shown.
const PROPOSALS: usize = 6;

fn line(area: Rect, at: u16) -> Rect {
    let y = (area.y + at).min(area.bottom().saturating_sub(1));
    Rect { y, height: 1, ..area }
}

/// A waiver. Returns where the cursor is.
pub(super) fn waive(canvas: &mut Canvas<'_>, form: &WaiveForm, area: Rect) -> Option<(u16, u16)> {
    let targets = counted(form.ids.len() as u64, "target", "targets");
    let inside = canvas.window(area, WIDTH, 8, &format!("Waive {targets}"));
    let (strong, current) = (canvas.palette.strong(), canvas.palette.current());
    let kind = line(inside, 0);
    let mut x = kind.x + canvas.text(kind.x, kind.y, kind.width, "as:     ", strong);
    for (name, own) in [("leave", WaiverKind::Leave), ("works", WaiverKind::Works)] {
        let is_chosen = form.kind == own;
        let sign = if is_chosen { "(x) " } else { "( ) " };
        let style = match is_chosen && form.field == WaiveField::Kind {
            true => current,
            false => Style::new(),
        };
        let room = kind.right().saturating_sub(x);
        x += canvas.text(x, kind.y, room, &format!("{sign}{name}"), style) + 2;
    }
    let meaning = match form.kind {
        WaiverKind::Leave => "known, left as it is until it ends",
        WaiverKind::Works => "holds while the response stays as it is",
    };
    canvas.text(x, kind.y, kind.right().saturating_sub(x), meaning, canvas.palette.faint());
    let reason = prompt(canvas, line(inside, 2), "reason: ", &form.reason);
    if form.reason.text().is_empty() && !form.offered.is_empty() {
        let at = line(inside, 2);
        let x = reason.0 + 2;
        let room = at.right().saturating_sub(x);
        canvas.text(x, at.y, room, &form.offered, canvas.palette.faint());
    }
    let until = prompt(canvas, line(inside, 3), "until:  ", &form.until);
    if form.until.text().is_empty() {
        let default = match form.kind {
            WaiverKind::Leave => "180d; or a date, or 90d, 4w",
            WaiverKind::Works => "no end; or a date, or 90d, 4w",
        };
        let at = line(inside, 3);
        let x = until.0 + 2;
        canvas.text(x, at.y, at.right().saturating_sub(x), default, canvas.palette.faint());
    }
    match form.problem {
        Some(problem) => {
            let at = line(inside, 5);
            canvas.text(at.x, at.y, at.width, problem, canvas.palette.error());
        }
        None => hints(
            canvas,
            line(inside, 5),
            &[("Enter", "waive"), ("Tab", "next field"), ("Space", "change"), ("Esc", "back")],
        ),
    }
    match form.field {
        WaiveField::Kind => None,
        WaiveField::Reason => Some(reason),
        WaiveField::Until => Some(until),
    }
}

/// A new URL. Returns where the cursor is.
pub(super) fn url(canvas: &mut Canvas<'_>, form: &UrlForm, area: Rect) -> Option<(u16, u16)> {
    let targets = counted(form.ids.len() as u64, "target", "targets");
    let title = match form.action {
        Action::Redirect => format!("Redirect {targets} on the server"),
        _ => format!("Change the URL of the links to {targets}"),
    };
    let inside = canvas.window(area, WIDTH.max(area.width * 2 / 3), 13, &title);
    let cursor = prompt(canvas, line(inside, 0), "to: ", &form.input);
    let faint = canvas.palette.faint();
    let is_single = form.ids.len() == 1;
    let text = match (&form.searched, form.proposals.is_empty()) {
        (None, true) => "looking for URLs that work".to_owned(),
        (None, false) | (Some(Ok(())), false) if is_single => "URLs that work:".to_owned(),
        (_, false) => format!(
            "{} of {targets} have a likely URL that works; Enter alone gives each its own",
            form.best_of_each().len()
        ),
        (Some(Ok(())), true) => "no URL was found that the links may have meant".to_owned(),
        (Some(Err(why)), _) => why.clone(),
    };
    let at = line(inside, 2);
    canvas.text(at.x, at.y, at.width, &text, faint);
    let shown = form.proposals.iter().enumerate().take(PROPOSALS);
    for (row, (number, proposal)) in (3u16..).zip(shown) {
        let at = line(inside, row);
        let room = usize::from(at.width);
        let to = cut_url(&proposal.to, room * 3 / 5);
        let used = canvas.text(at.x, at.y, at.width, &to, Style::new()) + 2;
        let rest = at.width.saturating_sub(used);
        canvas.text(at.x + used, at.y, rest, &proposal.why, faint);
        if form.chosen == Some(number) {
            canvas.style(at, canvas.palette.current());
        }
    }
    let last = line(inside, 10);
    match &form.problem {
        Some(problem) => {
            let style = canvas.palette.error();
            canvas.text(last.x, last.y, last.width, problem, style);
        }
        None => {
            hints(
                canvas,
                last,
                &[("Enter", "add to the plan"), ("↑ ↓", "choose"), ("Esc", "back")],
            );
        }
    }
    Some(cursor)
}

/// What goes on, and what becomes of it.
pub(super) fn leaving(canvas: &mut Canvas<'_>, state: &State, area: Rect) {
    let is_crawling = state.live.as_ref().is_some_and(|live| !live.has_ended);
    let what =
        if is_crawling { "The crawl is still running." } else { "A recheck is still running." };
    let inside = canvas.window(area, 56, 6, what);
    let keys = [
        ("w", "leave this view and wait for it to finish"),
        ("s", "stop it; what was found is kept"),
        ("Esc", "stay"),
    ];
    for (at, key) in (0u16..).zip(keys) {
        hints(canvas, line(inside, at), &[key]);
    }
}

/// What the plan changes, as a diff on the whole screen.
pub(super) fn changes(canvas: &mut Canvas<'_>, state: &State, page: &ChangesPage, area: Rect) {
    if area.height < 3 {
        return;
    }
    let strong = canvas.palette.strong();
    let title = format!("What {} changes", state.plan);
    canvas.text(area.x, area.y, area.width, &title, strong);
    let body = Rect { y: area.y + 1, height: area.height - 3, ..area };
    let message = line(area, area.height - 2);
    let (text, style) = match &page.changes {
        _ if state.message.is_error => (state.message.message.clone(), canvas.palette.error()),
        None => ("reading the files".to_owned(), Style::new()),
        Some(Err(why)) => (why.clone(), canvas.palette.error()),
        Some(Ok(_)) if page.is_applying => ("writing".to_owned(), Style::new()),
        Some(Ok(changes)) => (changes.summary.clone(), strong),
    };
    canvas.text(message.x, message.y, message.width, &text, style);
    if let Some(Ok(changes)) = &page.changes {
        for (y, diff) in (body.y..body.bottom()).zip(changes.lines.iter().skip(page.from)) {
            let palette = canvas.palette;
            let (sign, text, style) = match diff {
                DiffLine::File(name) => ("", name, palette.strong()),
                DiffLine::Hunk(place) => ("", place, palette.faint()),
                DiffLine::Old(text) => ("-", text, palette.removed()),
                DiffLine::New(text) => ("+", text, palette.added()),
                DiffLine::Same(text) => (" ", text, Style::new()),
                DiffLine::Note(text) => ("", text, Style::new()),
            };
            let used = canvas.text(body.x, y, body.width, sign, style);
            canvas.text(body.x + used, y, body.width - used, text, style);
        }
    }
    let keys = line(area, area.height - 1);
    match page.can_apply() {
        true => {
            hints(canvas, keys, &[("y", "apply these changes"), ("PgDn", "more"), ("Esc", "back")])
        }
        false => hints(canvas, keys, &[("Esc", "back")]),
    }
}
