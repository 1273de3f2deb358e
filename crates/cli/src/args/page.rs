//! `rummage page`.

use clap::Args;

use super::{CheckOptions, FailOn, Selecting, Showing};

/// Check the links on single pages, after an edit
///
/// PAGE is a URL, an HTML file, or - for standard input: a draft. For a draft, --as gives the URL
/// it will be published at, so that relative links can be resolved; a draft is not saved in the
/// store.
///
/// If the site was crawled before, everything else keeps the results of the last run. The check
/// is stored as a run like any other, and reports which faults are new.
///
/// Exit codes: 0 nothing on these pages is broken, 1 something is broken, 2 invalid arguments, 3
/// stopped, 4 could not do the job.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage page https://www.example.test/news/\n  \
    rummage page - --as https://www.example.test/news/ < draft.html\n\nAll options: rummage page --help",
    after_long_help = "Examples:\n  rummage page https://www.example.test/news/\n  \
    rummage page - --as https://www.example.test/news/ < draft.html"
)]
pub(crate) struct PageArgs {
    /// URLs of pages; or one file, or - for standard input, with --as
    #[arg(value_name = "PAGE", required_unless_present = "resume")]
    pub(crate) pages: Vec<String>,
    /// Continue the last unfinished check of pages
    #[arg(long, conflicts_with = "pages")]
    pub(crate) resume: bool,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
