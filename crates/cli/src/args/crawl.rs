//! `rummage crawl`.

use clap::Args;

use super::{BaselineArg, CheckOptions, FailOn, Selecting, Showing};

/// Crawl a site, check every URL on it once, and report what is broken and where
///
/// START is a URL, the name of a site in rummage.toml, or a host name with or without a port. For
/// a host name, https is tried first, then http; for localhost, only http. Without START, the
/// only site in rummage.toml is crawled.
///
/// The site is the host that START leads to, with and without `www.`, over http and https. A path
/// in START does not limit the crawl; --within does. External links are checked but not followed.
///
/// A folder is read from disk as a web server would serve it: `/x/` is `x/index.html`. --as gives
/// the URL it will be published at; links to that URL are looked up in the folder, all others are
/// checked over the network.
///
/// Results are saved as they arrive. Ctrl-C stops the crawl and shows the results so far;
/// `rummage crawl --resume` continues it, also after a crash.
///
/// Exit codes: 0 nothing broken, 1 something broken, 2 invalid arguments, 3 not finished, 4 could
/// not do the job.
///
/// The options under Checking can also be set in rummage.toml (see `rummage init`) and, except
/// `--header`, in the environment: `RUMMAGE_TIMEOUT=5s`.
#[derive(Debug, Clone, Args)]
#[command(
    after_help = "Examples:\n  rummage crawl www.example.test --exclude '/calendar/*'\n  \
    rummage crawl museum --gentle -o broken.csv\n\nAll options: rummage crawl --help",
    after_long_help = "Examples:\n  rummage crawl www.example.test --exclude '/calendar/*'\n  \
    rummage crawl museum --gentle -o broken.csv"
)]
pub(crate) struct CrawlArgs {
    /// Start URL, host, site name in rummage.toml, sitemap, or folder of built pages:
    /// https://www.example.test/, www.example.test, ./public. With several, all are crawled in
    /// one run
    #[arg(value_name = "START")]
    pub(crate) starts: Vec<String>,
    /// Continue the last run, or that of START, if it was stopped or killed
    #[arg(long)]
    pub(crate) resume: bool,
    /// Look at findings and decide while the crawl runs; see rummage triage
    #[arg(long, hide_short_help = true,
        conflicts_with_all = ["quiet", "format", "output"])]
    pub(crate) triage: bool,
    /// Check everything, including working external URLs that are not due yet
    #[arg(long)]
    pub(crate) fresh: bool,
    /// Believe the result, even if it is suspicious: a start page without links, a login page, or
    /// under half of the pages of the last crawl
    #[arg(long, hide_short_help = true)]
    pub(crate) accept: bool,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
    #[command(flatten)]
    pub(crate) known: BaselineArg,
}
