//! How to show links.

use std::iter;
use std::path::PathBuf;
use std::sync::LazyLock;

use clap::builder::PossibleValue;
use clap::{Args, ValueEnum};
use rummage_view::RowFormat;

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
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Format {
    Text,
    /// Rows for other programs.
    Rows(RowFormat),
    /// One list of targets.
    Json,
    /// A list with boxes to tick.
    Markdown,
}

static FORMATS: LazyLock<Vec<Format>> = LazyLock::new(|| {
    let rows = RowFormat::all().map(Format::Rows);
    iter::once(Format::Text).chain(rows).chain([Format::Json, Format::Markdown]).collect()
});

impl Format {
    fn name(self) -> &'static str {
        match self {
            Format::Text => "text",
            Format::Rows(rows) => rows.name(),
            Format::Json => "json",
            Format::Markdown => "md",
        }
    }

    fn about(self) -> &'static str {
        match self {
            Format::Text => "For reading",
            Format::Rows(rows) => rows.help(),
            Format::Json => "One list of targets, each with its evidence and its links",
            Format::Markdown => "Markdown: a list with boxes to tick",
        }
    }

    fn endings(self) -> &'static [&'static str] {
        match self {
            Format::Text => &["txt"],
            Format::Rows(rows) => rows.endings(),
            Format::Json => &["json"],
            Format::Markdown => &["md", "markdown"],
        }
    }

    /// The format of files whose names end so.
    pub(crate) fn of_ending(ending: &str) -> Option<Format> {
        let ends =
            |format: &&Format| format.endings().iter().any(|own| ending.eq_ignore_ascii_case(own));
        FORMATS.iter().find(ends).copied()
    }

    /// The usual ending of each format.
    pub(crate) fn usual_endings() -> Vec<&'static str> {
        FORMATS.iter().filter_map(|format| format.endings().first().copied()).collect()
    }
}

impl ValueEnum for Format {
    fn value_variants<'a>() -> &'a [Format] {
        &FORMATS
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        Some(PossibleValue::new(self.name()).help(self.about()))
    }
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
