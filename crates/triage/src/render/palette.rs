//! Colors, of the sixteen that every terminal has. What a color says, a word or a sign says too.

use ratatui::style::{Color, Modifier, Style};
use rummage_core::verdict::Verdict;

/// Whether there are colors.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Palette {
    /// Only weights and reversed text if not.
    pub colored: bool,
}

impl Palette {
    pub(super) fn strong(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD)
    }

    /// Less important text. Dimmed text is unreadable on some terminals, gray is not.
    pub(super) fn faint(self) -> Style {
        if self.colored { Style::new().fg(Color::DarkGray) } else { Style::new() }
    }

    pub(super) fn heading(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD | Modifier::UNDERLINED)
    }

    /// The current line.
    pub(super) fn current(self) -> Style {
        Style::new().add_modifier(Modifier::REVERSED)
    }

    pub(super) fn error(self) -> Style {
        self.badge(Color::Red)
    }

    pub(super) fn removed(self) -> Style {
        self.text(Color::Red)
    }

    pub(super) fn added(self) -> Style {
        self.text(Color::Green)
    }

    pub(super) fn decided(self) -> Style {
        self.text(Color::Green).add_modifier(Modifier::BOLD)
    }

    /// A verdict: on a colored ground, which is as readable on a light terminal as on a dark one.
    pub(super) fn verdict(self, verdict: Verdict) -> Style {
        match verdict {
            Verdict::Broken => self.badge(Color::Red),
            Verdict::Doubtful => self.badge(Color::Yellow),
            Verdict::Moved => self.badge(Color::Cyan),
            Verdict::Sound => self.badge(Color::Green),
            Verdict::Skipped => self.faint(),
        }
    }

    fn badge(self, color: Color) -> Style {
        let text = if color == Color::Red { Color::White } else { Color::Black };
        match self.colored {
            true => Style::new().bg(color).fg(text),
            false => Style::new().add_modifier(Modifier::BOLD),
        }
    }

    fn text(self, color: Color) -> Style {
        if self.colored { Style::new().fg(color) } else { Style::new() }
    }
}
