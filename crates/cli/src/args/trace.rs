//! `rummage trace`.

use clap::{Args, ValueEnum};

/// Show all about one address: how it was seen, its redirects, every place that names it
///
/// TARGET is an address, or a part of one. When it fits several addresses, these are
/// listed. For a page, the links on it are shown too.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage trace https://www.example.test/old.html\n  \
    rummage trace old.html --source")]
pub(crate) struct TraceArgs {
    /// An address or a part of one
    pub(crate) target: String,
    /// What the run of this number says [default: the last]
    #[arg(long, value_name = "N")]
    pub(crate) run: Option<i64>,
    /// Ask the pages that name it again, and show the lines where they do
    #[arg(long)]
    pub(crate) source: bool,
    /// List all places and links
    #[arg(long, help_heading = "Showing")]
    pub(crate) unfold: bool,
    /// How to show it
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: TraceFormat,
}

/// How to show an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum TraceFormat {
    /// For reading
    Text,
    /// JSON Lines: an object for each link to it
    Jsonl,
    /// One object with its evidence and the links to it
    Json,
}
