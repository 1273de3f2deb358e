//! `rummage page`.

use clap::Args;

use super::{Asking, FailOn, Selecting, Showing};

/// Ask the links of single pages, after an edit
///
/// PAGE is a web address, a file of HTML, or - for standard input: a draft. For a draft --as
/// says where it will live, so that its links are known; it is not kept in the store.
///
/// In a site that was crawled, all else stands as the last run found it: the result is a run
/// like any other, and says which faults are new.
///
/// Exit codes: 0 nothing on these pages is broken, 1 something is, 2 wrong words, 3 stopped,
/// 4 could not do the job.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage page https://www.example.test/news/\n  \
    rummage page - --as https://www.example.test/news/ < draft.html\n\nAll options: rummage page --help",
    after_long_help = "Examples:\n  rummage page https://www.example.test/news/\n  \
    rummage page - --as https://www.example.test/news/ < draft.html"
)]
pub(crate) struct PageArgs {
    /// The pages: addresses; or one file, or - for standard input, with --as
    #[arg(value_name = "PAGE", required = true)]
    pub(crate) pages: Vec<String>,
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
