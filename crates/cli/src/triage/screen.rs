//! The terminal: taken over while the view is open, and given back as it was, whatever happens.

use std::io::{self, Stdout, Write, stdout};
use std::sync::Once;

use crossterm::cursor::Show;
use crossterm::event::{DisableBracketedPaste, EnableBracketedPaste};
use crossterm::execute;
use crossterm::terminal::{
    Clear, ClearType, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use rummage_triage::{Palette, State, render};

/// The screen, as long as it is ours.
pub(super) struct Screen {
    terminal: Terminal<CrosstermBackend<Stdout>>,
    palette: Palette,
}

impl Screen {
    /// Takes over the terminal. A panic gives it back before its message is shown.
    pub(super) fn open(palette: Palette) -> io::Result<Screen> {
        static HOOK: Once = Once::new();
        HOOK.call_once(|| {
            let report = std::panic::take_hook();
            std::panic::set_hook(Box::new(move |info| {
                give_back();
                report(info);
            }));
        });
        take_over()?;
        let terminal = Terminal::new(CrosstermBackend::new(stdout()));
        match terminal {
            Ok(terminal) => Ok(Screen { terminal, palette }),
            Err(error) => {
                give_back();
                Err(error)
            }
        }
    }

    /// Columns and lines.
    pub(super) fn size(&self) -> io::Result<(u16, u16)> {
        let size = self.terminal.size()?;
        Ok((size.width, size.height))
    }

    /// Draws a state.
    pub(super) fn draw(&mut self, state: &State) -> io::Result<()> {
        let palette = self.palette;
        self.terminal.draw(|frame| {
            let area = frame.area();
            if let Some(cursor) = render(state, palette, area, frame.buffer_mut()) {
                frame.set_cursor_position(cursor);
            }
        })?;
        Ok(())
    }

    /// Draws everything anew the next time. The terminal need not respond, which some
    /// do not.
    pub(super) fn clear(&mut self) -> io::Result<()> {
        execute!(stdout(), Clear(ClearType::All))?;
        self.terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
        Ok(())
    }

    /// Gives the terminal back while something else uses it.
    pub(super) fn lend<T>(&mut self, use_it: impl FnOnce() -> T) -> io::Result<T> {
        give_back();
        let result = use_it();
        take_over()?;
        self.clear()?;
        Ok(result)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
    }
}

fn take_over() -> io::Result<()> {
    enable_raw_mode()?;
    let entered = execute!(stdout(), EnterAlternateScreen, EnableBracketedPaste);
    if entered.is_err() {
        give_back();
    }
    entered
}

/// What cannot be written to a terminal that is gone does not matter.
fn give_back() {
    let mut out = stdout();
    let _ = execute!(out, DisableBracketedPaste, LeaveAlternateScreen, Show);
    let _ = out.flush();
    let _ = disable_raw_mode();
}
