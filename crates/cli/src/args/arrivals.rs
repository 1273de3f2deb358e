//! `rummage arrivals`.

use clap::Args;

use super::{CheckOptions, FailOn, Selecting, Showing};

/// Show the missing URLs that visitors requested, from server access logs
///
/// LOG is a file in Common or Combined Log Format, gzip-compressed or not, or - for standard
/// input. Lists URLs answered with 404, 410 or 5xx: how often, for people or robots (by their
/// User-Agent), from which pages, and which page of the site links there according to the last
/// run in the store. A URL that was served again later counts as fixed; --check checks each URL
/// now.
///
/// With -o missing.toml, writes a plan of redirects instead: for each missing URL, the page that
/// visitors most likely meant (see rummage mend propose --arrivals).
///
/// The site is that of --as, of --site, or of the last crawl. Query strings are kept or dropped
/// as for a crawl (--query).
///
/// Only the selection options that apply to URLs are accepted: --status, --target, --host, --page
/// (the page visitors came from) and --search; with --check, also --verdict and --cause.
///
/// Exit codes: 0 (with --fail-on broken: 1 if a URL is missing), 2 invalid arguments, 3 part of a
/// log could not be read.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage arrivals /var/log/nginx/access.log*\n  \
    rummage arrivals access.log --check --format csv -o missing.csv\n\nAll options: rummage arrivals --help",
    after_long_help = "Examples:\n  rummage arrivals /var/log/nginx/access.log*\n  \
    rummage arrivals access.log --check --format csv -o missing.csv"
)]
pub(crate) struct ArrivalsArgs {
    /// Access logs, or - for standard input
    #[arg(value_name = "LOG", required = true)]
    pub(crate) logs: Vec<String>,
    /// Check each URL now, and list those that work again separately
    #[arg(long)]
    pub(crate) check: bool,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
