//! `rummage schedule`.

use clap::{Args, ValueEnum};
use jiff::Timestamp;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;

/// Show what is to be asked again, when and why
///
/// What may pass is asked again soon, what is broken daily, what is sound and belongs to
/// others each week and then ever more rarely; sound pages of the site are asked with each
/// crawl. The keys that begin with due- in rummage.toml change that. `rummage recheck
/// --due` asks what is due.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage schedule --limit 50\n  \
    rummage schedule --emit cron >> crontab.txt")]
pub(crate) struct ScheduleArgs {
    /// As it will be at this time, such as 2026-12-01 or 2026-12-01T06:00 [default: now]
    #[arg(long, value_name = "TIME", value_parser = time)]
    pub(crate) as_of: Option<Timestamp>,
    /// Print an entry that asks what is due, instead of the schedule
    #[arg(long, value_name = "WHAT", conflicts_with = "as_of")]
    pub(crate) emit: Option<Emit>,
    /// How to write it
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: ScheduleFormat,
    /// Show at most so many addresses; the counts stay those of all
    #[arg(long, value_name = "N", help_heading = "Showing")]
    pub(crate) limit: Option<usize>,
}

/// An entry for something that starts programs at their time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Emit {
    /// A line for crontab
    Cron,
    /// A service and a timer for systemd, for a user
    Systemd,
}

/// How to write a schedule.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ScheduleFormat {
    /// For reading
    Text,
    /// JSON Lines: an object for each address
    Jsonl,
}

/// A time in the zone of this machine, or with its offset.
fn time(text: &str) -> Result<Timestamp, String> {
    if let Ok(time) = text.parse::<Timestamp>() {
        return Ok(time);
    }
    let local = text
        .parse::<DateTime>()
        .or_else(|_| text.parse::<Date>().map(|day| day.at(0, 0, 0, 0)))
        .map_err(|_| "write a day such as 2026-12-01, or a time such as 2026-12-01T06:00")?;
    let zoned = local.to_zoned(TimeZone::system());
    zoned.map(|zoned| zoned.timestamp()).map_err(|error| error.to_string())
}
