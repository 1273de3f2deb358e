//! Draws a state.

mod cells;
mod detail;
mod dialogs;
mod foot;
mod head;
mod help;
mod list;
mod palette;

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

use crate::machine::{Mode, State};

pub use palette::Palette;

/// Draws a state, and returns where the cursor is if something is being typed.
pub fn render(
    state: &State,
    palette: Palette,
    area: Rect,
    buffer: &mut Buffer,
) -> Option<(u16, u16)> {
    let mut canvas = cells::Canvas { buffer, palette };
    if let Mode::Changes(page) = &state.mode {
        dialogs::changes(&mut canvas, state, page, area);
        return None;
    }
    let parts = state.layout();
    head::draw(&mut canvas, state, parts.head);
    if let Some(list) = parts.list {
        list::draw(&mut canvas, state, list);
    }
    if let Some(rule) = parts.rule {
        canvas.rule(rule);
    }
    if let Some(detail) = parts.detail {
        detail::draw(&mut canvas, state, detail);
    }
    let cursor = foot::draw(&mut canvas, state, parts.message, parts.keys);
    match &state.mode {
        Mode::Waive(form) => dialogs::waive(&mut canvas, form, area),
        Mode::Url(form) => dialogs::url(&mut canvas, form, area),
        Mode::Decide => {
            help::decide(&mut canvas, state, area);
            None
        }
        Mode::Help(from) => {
            help::help(&mut canvas, *from, area);
            None
        }
        Mode::Leaving => {
            dialogs::leaving(&mut canvas, state, area);
            None
        }
        _ => cursor,
    }
}

#[cfg(test)]
mod tests;
