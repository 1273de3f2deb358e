//! `rummage crawl`.

use clap::Args;

use super::{Asking, FailOn, Selecting, Showing};

/// Walk a site, ask every address on it once, say what is wrong and where
///
/// START is a URL, the name of a site in rummage.toml, or a host name with or without
/// a port. For a host name, https is tried first, then http; on this machine http
/// alone. Without START, the only site of rummage.toml is meant.
///
/// The site is the host where START ends up, with and without `www.`, over http
/// and https. A path in START does not confine the crawl. Links that lead away
/// from the site are asked, not followed.
///
/// A folder is read from disk as a web server would give it: `/x/` is `x/index.html`. --as
/// says where it will live; links to that place lead into the folder, all others are asked
/// as usual.
///
/// What is found is kept as it comes in. Ctrl-C stops and shows what there is;
/// `rummage crawl --resume` goes on from there, and so it does after a crash.
///
/// Exit codes: 0 nothing broken, 1 something broken, 2 wrong words, 3 not
/// finished, 4 could not do the job.
///
/// The options that say what is asked can also stand in rummage.toml (see `rummage
/// init`), and, all but `--header`, in the environment: `RUMMAGE_TIMEOUT=5s`.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage crawl www.example.test --exclude '/calendar/*'\n  \
    rummage crawl museum --gentle -o broken.csv\n\nAll options: rummage crawl --help",
    after_long_help = "Examples:\n  rummage crawl www.example.test --exclude '/calendar/*'\n  \
    rummage crawl museum --gentle -o broken.csv"
)]
pub(crate) struct CrawlArgs {
    /// Where to begin: https://www.example.test/, www.example.test, a site of rummage.toml, a
    /// sitemap, or a folder of built pages such as ./public; more of them are walked as well
    #[arg(value_name = "START")]
    pub(crate) starts: Vec<String>,
    /// Go on with the last run, which was stopped or killed, with its options
    #[arg(long, conflicts_with = "starts")]
    pub(crate) resume: bool,
    /// Ask everything anew, sound addresses of others too that are not due yet
    #[arg(long)]
    pub(crate) fresh: bool,
    #[command(flatten)]
    pub(crate) asking: Asking,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
