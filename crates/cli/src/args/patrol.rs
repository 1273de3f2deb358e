//! `rummage patrol`.

use clap::{Args, ValueEnum};

/// Keep running: recheck what is due, crawl each site at its interval, send digests
///
/// Watches the sites in rummage.toml, or those in the store if there is no such file; with --site
/// NAME, one of them. The keys crawl-every, quiet-hours and patrol-per-hour set when and how
/// much, the keys that begin with due- how often URLs are rechecked, and the keys that begin with
/// digest- who is notified. Changes to the file take effect in the next round.
///
/// SIGTERM or Ctrl-C ends it; a crawl under way is continued the next time.
///
/// Exit codes: 0 ended on request; 3 with --once, something could not be checked; 4 could not
/// start.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage patrol --once          one round, for cron\n  \
    rummage patrol --test-digest   check that digests arrive")]
pub(crate) struct PatrolArgs {
    /// Do what is due now, then exit
    #[arg(long)]
    pub(crate) once: bool,
    /// Send a sample digest to every configured channel, report the result, and exit
    #[arg(long, conflicts_with = "once")]
    pub(crate) test_digest: bool,
    /// Log format, on standard error
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) log: LogFormat,
}

/// Log format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum LogFormat {
    /// Plain text, in local time
    Text,
    /// JSON Lines: an object for each event, in UTC
    Json,
}
