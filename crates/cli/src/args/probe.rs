//! `rummage probe`.

use clap::Args;

use super::{CheckOptions, FailOn, Selecting, Showing};

/// Check a list of URLs, whatever sites they belong to
///
/// INPUT is a URL, a file, or - for standard input: text lines (# begins a comment), CSV with any
/// separator, HTML, a sitemap or sitemap index, or JSON Lines; gzip-compressed or not. A URL that
/// is listed several times is checked once, and every entry is reported with its file and line.
///
/// Exit codes: 0 nothing broken, 1 something broken, 2 invalid arguments, 3 stopped, or part of
/// an input could not be read, 4 could not do the job.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage probe urls.csv --append-columns -o checked.csv\n  \
    grep -o 'https://[^ ]*' notes.txt | rummage probe -\n\nAll options: rummage probe --help",
    after_long_help = "Examples:\n  rummage probe urls.csv --append-columns -o checked.csv\n  \
    grep -o 'https://[^ ]*' notes.txt | rummage probe -"
)]
pub(crate) struct ProbeArgs {
    /// URLs, files that list them, or - for standard input
    #[arg(value_name = "INPUT", required_unless_present = "resume")]
    pub(crate) inputs: Vec<String>,
    /// Continue the last unfinished probe, with the lists that were given to it
    #[arg(long, conflicts_with_all = ["inputs", "column", "append_columns"])]
    pub(crate) resume: bool,
    /// Column that holds the URLs: its name, or its number from 1 [default: found by content]
    #[arg(long, value_name = "NAME|N")]
    pub(crate) column: Option<String>,
    /// Write the table back unchanged, with verdict, cause, status and final URL appended to each
    /// row
    #[arg(long, conflicts_with_all = ["format", "group", "sort", "limit", "unfold"])]
    pub(crate) append_columns: bool,
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
