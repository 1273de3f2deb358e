//! `rummage patrol`.

use clap::{Args, ValueEnum};

/// Stay up, ask what falls due, crawl sites at their interval, and tell of changes
///
/// Watches the sites of rummage.toml, or those of the store where there is no such file;
/// --site NAME one of them. The keys crawl-every, quiet-hours and patrol-per-hour say when
/// and how much, those that begin with due- how often addresses are asked again, those
/// that begin with digest- who is told. What was changed in the file holds from the next
/// round on.
///
/// A request to end (SIGTERM, Ctrl-C) ends it; a crawl under way goes on the next time.
///
/// Exit codes: 0 it ended as it was asked to; 3 with --once, something could not be asked;
/// 4 it could not begin.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage patrol --once          one round, for cron\n  \
    rummage patrol --test-digest   does a digest arrive?")]
pub(crate) struct PatrolArgs {
    /// Do what is due by now, and end
    #[arg(long)]
    pub(crate) once: bool,
    /// Only send a made-up digest to those who are told, and say how that went
    #[arg(long, conflicts_with = "once")]
    pub(crate) test_digest: bool,
    /// How to write the log, on standard error
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) log: LogFormat,
}

/// How to write the log.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum LogFormat {
    /// For reading, in local time
    Text,
    /// JSON Lines: an object for each event, in UTC
    Json,
}
