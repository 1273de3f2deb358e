//! The last lines: a message or what is being typed, and the most useful keys.

use ratatui::layout::Rect;
use ratatui::style::Style;

use super::cells::{Canvas, width};
use crate::input::Input;
use crate::machine::{FilterForm, Mode, State};

/// Draws the last lines, and returns where the cursor is if something is being typed there.
pub(super) fn draw(
    canvas: &mut Canvas<'_>,
    state: &State,
    message: Rect,
    keys: Rect,
) -> Option<(u16, u16)> {
    match &state.mode {
        Mode::Filter(form) => {
            explanation(canvas, form, keys);
            Some(prompt(canvas, message, "filter: ", &form.input))
        }
        Mode::Search(input) => {
            hints(canvas, keys, &[("Enter", "search"), ("Esc", "back")]);
            Some(prompt(canvas, message, "search: ", input))
        }
        _ => {
            let style = match state.message.is_error {
                true => canvas.palette.error(),
                false => Style::new(),
            };
            canvas.text(message.x, message.y, message.width, &state.message.message, style);
            hints(canvas, keys, usual(state));
            None
        }
    }
}

fn usual(state: &State) -> &'static [(&'static str, &'static str)] {
    if state.is_in_detail {
        return &[
            ("p", "open page"),
            ("e", "edit"),
            ("o", "open target"),
            ("j k", "move"),
            ("Esc", "list"),
            ("?", "help"),
            ("q", "leave"),
        ];
    }
    &[
        ("?", "help"),
        ("d", "decide"),
        ("Enter", "links"),
        ("Space", "mark"),
        ("f", "filter"),
        ("/", "search"),
        ("b", "group"),
        ("s", "sort"),
        ("u", "undo"),
        ("v", "changes"),
        ("q", "leave"),
    ]
}

/// Keys with what they do, as many as there is room for.
pub(super) fn hints(canvas: &mut Canvas<'_>, area: Rect, hints: &[(&str, &str)]) {
    if area.height == 0 {
        return;
    }
    let mut x = area.x;
    let (strong, faint) = (canvas.palette.strong(), canvas.palette.faint());
    for (key, what) in hints {
        let wide = u16::try_from(width(key) + 1 + width(what)).unwrap_or(u16::MAX);
        if x.saturating_add(wide) > area.right() {
            break;
        }
        x += canvas.text(x, area.y, area.right() - x, key, strong) + 1;
        x += canvas.text(x, area.y, area.right().saturating_sub(x), what, faint) + 2;
    }
}

/// A line that is being typed, with its end in sight.
pub(super) fn prompt(
    canvas: &mut Canvas<'_>,
    area: Rect,
    label: &str,
    input: &Input,
) -> (u16, u16) {
    let strong = canvas.palette.strong();
    let used = canvas.text(area.x, area.y, area.width, label, strong);
    let room = usize::from(area.width.saturating_sub(used)).max(1);
    let before = width(input.before());
    // What is left of the cursor and has no room is cut off at the left.
    let mut text = input.text();
    let mut hidden = 0;
    while before - hidden >= room {
        let Some(first) = text.chars().next() else { break };
        hidden += width(first.encode_utf8(&mut [0; 4]));
        text = &text[first.len_utf8()..];
    }
    let x = area.x + used;
    canvas.text(x, area.y, area.width.saturating_sub(used), text, Style::new());
    let cursor = u16::try_from(before - hidden).unwrap_or(u16::MAX);
    (x.saturating_add(cursor).min(area.right().saturating_sub(1)), area.y)
}

/// What the words at the cursor can become, and what the filter means.
fn explanation(canvas: &mut Canvas<'_>, form: &FilterForm, area: Rect) {
    if area.height == 0 {
        return;
    }
    let faint = canvas.palette.faint();
    let error = canvas.palette.error();
    let (text, style) = match (&form.explained, &form.help) {
        // While a word is being typed, what it can become helps more than that it is wrong.
        _ if form.choices.len() > 1 => (format!("Tab: {}", form.choices.join(" ")), faint),
        (_, Some(help)) => (help.clone(), faint),
        (Some(Err(why)), None) => (why.clone(), error),
        (Some(Ok(meaning)), None) => (meaning.clone(), faint),
        (None, None) => (String::new(), faint),
    };
    canvas.text(area.x, area.y, area.width, &text, style);
}
