//! `rummage schedule`.

use clap::{Args, ValueEnum};

use super::when::{When, when};

/// Show what will be checked again, when and why
///
/// Temporary failures are rechecked soon, broken links daily, working external URLs weekly and
/// then ever less often; working pages of the site are checked with each crawl. The keys that
/// begin with due- in rummage.toml change that. `rummage recheck --due` checks what is due.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage schedule --limit 50\n  \
    rummage schedule --emit cron >> crontab.txt")]
pub(crate) struct ScheduleArgs {
    /// Show the schedule as of this time, such as 2026-12-01, 2026-12-01T06:00, tomorrow or 4w
    /// [default: now]
    #[arg(long, value_name = "WHEN", value_parser = when)]
    pub(crate) as_of: Option<When>,
    /// Print an entry that rechecks what is due, instead of the schedule
    #[arg(long, value_name = "WHAT", conflicts_with = "as_of")]
    pub(crate) emit: Option<Emit>,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: ScheduleFormat,
    /// Show at most this many URLs; the counts include all
    #[arg(long, value_name = "N", help_heading = "Showing")]
    pub(crate) limit: Option<usize>,
}

/// A system that starts programs at set times.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Emit {
    /// A crontab line
    Cron,
    /// A systemd service and timer, for a user
    Systemd,
}

/// Output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ScheduleFormat {
    /// Plain text
    Text,
    /// JSON Lines: an object for each URL
    Jsonl,
}
