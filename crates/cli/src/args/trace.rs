//! `rummage trace`.

use clap::{Args, ValueEnum};

/// Show everything about one URL: evidence, redirects, and every link to it
///
/// TARGET is a URL, or part of one. If several URLs match, they are listed. For a page, the links
/// on it are shown too.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage trace https://www.example.test/old.html\n  \
    rummage trace old.html --source")]
pub(crate) struct TraceArgs {
    /// A URL or part of one
    pub(crate) target: String,
    /// Show the results of the run with this number [default: the last run]
    #[arg(long, value_name = "N")]
    pub(crate) run: Option<i64>,
    /// Fetch the pages that link to it, and show the source lines
    #[arg(long)]
    pub(crate) source: bool,
    /// List every occurrence and link
    #[arg(long, help_heading = "Showing")]
    pub(crate) unfold: bool,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: TraceFormat,
}

/// Output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum TraceFormat {
    /// Plain text
    Text,
    /// JSON Lines: an object for each link to it
    Jsonl,
    /// One JSON object with its evidence and the links to it
    Json,
}
