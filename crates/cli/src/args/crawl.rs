//! `rummage crawl`.

use clap::Args;

use super::{Asking, FailOn, Format, Selecting};

/// Walk a site, ask every address on it once, say what is wrong and where
///
/// START is a URL, or a host name with or without a port. For a host name, https
/// is tried first, then http; on this machine http alone.
///
/// The site is the host where START ends up, with and without `www.`, over http
/// and https. A path in START does not confine the crawl. Links that lead away
/// from the site are asked, not followed.
///
/// What is found is kept as it comes in. Ctrl-C stops and shows what there is;
/// `rummage crawl --resume` goes on from there, and so it does after a crash.
///
/// Exit codes: 0 nothing broken, 1 something broken, 2 wrong words, 3 not
/// finished, 4 could not do the job.
///
/// The options that say what is asked, all but `--header`, can also be set in the
/// environment, as `RUMMAGE_` and the name: `RUMMAGE_TIMEOUT=5s`.
#[derive(Debug, Args)]
pub(crate) struct CrawlArgs {
    /// Where to begin: https://www.example.test/ or www.example.test
    #[arg(required_unless_present = "resume")]
    pub(crate) start: Option<String>,
    /// Go on with the last run, which was stopped or killed, with its options
    #[arg(long, conflicts_with = "start")]
    pub(crate) resume: bool,
    #[command(flatten)]
    pub(crate) asking: Asking,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    /// How to show what was found
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: Format,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
