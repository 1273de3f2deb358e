//! `rummage probe`.

use clap::Args;

use super::{Asking, FailOn, Selecting, Showing};

/// Ask the addresses in a list, whatever site they are of
///
/// INPUT is an address, a file, or - for standard input: lines of text (# begins a
/// comment), CSV with any separator, HTML, a sitemap or an index of sitemaps, JSON Lines;
/// also packed by gzip. An address that is named often is asked once. Where each stands, file
/// and line, is told.
///
/// Exit codes: 0 nothing broken, 1 something broken, 2 wrong words, 3 part of an input could
/// not be read, or stopped, 4 could not do the job.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage probe addresses.csv --append-columns -o checked.csv\n  \
    grep -o 'https://[^ ]*' notes.txt | rummage probe -\n\nAll options: rummage probe --help",
    after_long_help = "Examples:\n  rummage probe addresses.csv --append-columns -o checked.csv\n  \
    grep -o 'https://[^ ]*' notes.txt | rummage probe -"
)]
pub(crate) struct ProbeArgs {
    /// Addresses, files that hold them, or - for standard input
    #[arg(value_name = "INPUT", required = true)]
    pub(crate) inputs: Vec<String>,
    /// The column of a table that has the addresses: its name, or its number from 1
    /// [default: found by what it holds]
    #[arg(long, value_name = "NAME|N")]
    pub(crate) column: Option<String>,
    /// Give the table back as it is, with verdict, cause, status and final address behind
    /// each row
    #[arg(long, conflicts_with_all = ["format", "group", "sort", "limit", "unfold"])]
    pub(crate) append_columns: bool,
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
