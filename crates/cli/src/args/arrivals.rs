//! `rummage arrivals`.

use clap::Args;

use super::{Asking, FailOn, Selecting, Showing};

/// Show what visitors asked for and did not get, from server access logs
///
/// LOG is a file in Common or Combined Log Format, also packed by gzip, or - for standard
/// input. Told are addresses that were answered 404, 410 or 5xx: how often, to people or to
/// robots (by what they say they are), from where, and which page of the site links there, by
/// the last run in the store. What was served later has healed; --ask asks each address now.
///
/// The site is that of --as, of --site, or of the last crawl; queries are kept or dropped by
/// its rule (--query).
///
/// Of the selecting options those that fit addresses are taken: --status, --target, --host,
/// --page (where visitors came from), --search; with --ask --verdict and --cause as well.
///
/// Exit codes: 0 (with --fail-on broken 1 where something is missing), 2 wrong words, 3 part of
/// a log could not be read.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage arrivals /var/log/nginx/access.log*\n  \
    rummage arrivals access.log --ask --format csv -o missing.csv\n\nAll options: rummage arrivals --help",
    after_long_help = "Examples:\n  rummage arrivals /var/log/nginx/access.log*\n  \
    rummage arrivals access.log --ask --format csv -o missing.csv"
)]
pub(crate) struct ArrivalsArgs {
    /// Access logs, or - for standard input
    #[arg(value_name = "LOG", required = true)]
    pub(crate) logs: Vec<String>,
    /// Ask each address now, so that what has healed is shown apart
    #[arg(long)]
    pub(crate) ask: bool,
    #[command(flatten)]
    pub(crate) asking: Asking,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
