//! Colors and weights. The caller strips them where they are not wanted.

use anstyle::{AnsiColor, Style};
use rummage_core::mend::Confidence;
use rummage_core::verdict::Verdict;

pub(crate) const STRONG: Style = Style::new().bold();
pub(crate) const FAINT: Style = Style::new().dimmed();

/// The color of a verdict.
pub(crate) fn of(verdict: Verdict) -> Style {
    match verdict {
        Verdict::Broken => AnsiColor::Red.on_default().bold(),
        Verdict::Doubtful => AnsiColor::Yellow.on_default().bold(),
        Verdict::Moved => AnsiColor::Cyan.on_default().bold(),
        Verdict::Sound => AnsiColor::Green.on_default(),
        Verdict::Skipped => Style::new().dimmed(),
    }
}

/// The color of a confidence.
pub(crate) fn of_confidence(confidence: Option<Confidence>) -> Style {
    match confidence {
        Some(Confidence::High) => AnsiColor::Green.on_default(),
        Some(Confidence::Medium) => AnsiColor::Yellow.on_default(),
        Some(Confidence::Low) => AnsiColor::Red.on_default(),
        None => Style::new().dimmed(),
    }
}
