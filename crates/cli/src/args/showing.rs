//! How to show links.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

/// How to show links.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Showing")]
pub(crate) struct Showing {
    /// What stands together [default: target; none for csv and jsonl]
    #[arg(long, value_name = "WHAT")]
    pub(crate) group: Option<GroupChoice>,
    /// Tell a link on many pages once for each, and all places of a target
    #[arg(long)]
    pub(crate) unfold: bool,
    /// Sort by a column, such as pages:desc [default: the worst first]
    #[arg(long, value_name = "KEY[:desc]")]
    pub(crate) sort: Option<String>,
    /// Show at most so many groups or rows; the counts at the head stay those of all
    #[arg(long, value_name = "N")]
    pub(crate) limit: Option<usize>,
    /// How to write it [default: by the ending of --output, else text]
    #[arg(long, value_name = "FORMAT")]
    pub(crate) format: Option<Format>,
    /// Write to this file; - is standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// What parts the fields of csv; tab for a tab
    #[arg(long, value_name = "C", default_value = ",", value_parser = separator,
        hide_short_help = true)]
    pub(crate) csv_separator: u8,
}

/// What stands together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum GroupChoice {
    /// A target with the places that name it
    Target,
    /// A page with what is wrong on it
    Page,
    /// A host with what fails there
    Host,
    /// A cause with the targets that it befell
    Cause,
    /// A row a link
    None,
}

/// How to write links.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For reading
    Text,
    /// Comma-separated values, with a header row
    Csv,
    /// One list of targets, each with its evidence and its links
    Json,
    /// JSON Lines: an object for each link
    Jsonl,
    /// Markdown: a list with boxes to tick
    Md,
}

/// What counts as a failure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FailOn {
    /// Something broke since the run before
    New,
    /// Something is broken
    Broken,
    /// Something is broken or doubtful
    Doubtful,
    /// Nothing
    Never,
}

fn separator(text: &str) -> Result<u8, String> {
    match text.as_bytes() {
        _ if text == "tab" || text == "\\t" => Ok(b'\t'),
        [one] if one.is_ascii_punctuation() && *one != b'"' || *one == b'\t' => Ok(*one),
        _ => Err("write one sign, such as ; or | or tab".to_owned()),
    }
}
