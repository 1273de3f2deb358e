//! How to show links.

use std::iter;
use std::path::PathBuf;
use std::sync::LazyLock;

use clap::builder::PossibleValue;
use clap::{Args, ValueEnum};
use rummage_view::{FormatInfo, ReportFormat, RowFormat};

/// How to show links.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Showing")]
pub(crate) struct Showing {
    /// Group results by [default: target; none for csv and jsonl]
    #[arg(long, value_name = "WHAT")]
    pub(crate) group: Option<GroupChoice>,
    /// List every occurrence, and each copy of a link shared by many pages
    #[arg(long)]
    pub(crate) unfold: bool,
    /// Sort by a column, such as pages:desc [default: worst first]
    #[arg(long, value_name = "KEY[:desc]")]
    pub(crate) sort: Option<String>,
    /// Show at most this many groups or rows; the totals include all
    #[arg(long, value_name = "N")]
    pub(crate) limit: Option<usize>,
    /// Output format [default: by the extension of --output, else text]
    #[arg(long, value_name = "FORMAT")]
    pub(crate) format: Option<Format>,
    /// Write to this file; - is standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Separator for csv; tab for a tab
    #[arg(long, value_name = "C", default_value = ",", value_parser = separator,
        hide_short_help = true)]
    pub(crate) csv_separator: u8,
}

/// What results are grouped by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum GroupChoice {
    /// Targets, each with the links to it
    Target,
    /// Pages, each with the broken links on it
    Page,
    /// Hosts, each with its failing targets
    Host,
    /// Causes, each with its targets
    Cause,
    /// Not grouped: one row per link
    None,
}

/// Output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Format {
    Text,
    /// Rows for other programs.
    Rows(RowFormat),
    /// One JSON list of targets.
    Json,
    /// A Markdown list with checkboxes.
    Markdown,
    /// A report to hand over.
    Report(ReportFormat),
}

static FORMATS: LazyLock<Vec<Format>> = LazyLock::new(|| {
    let rows = RowFormat::all().map(Format::Rows);
    let reports = ReportFormat::all().map(Format::Report);
    let lists = iter::once(Format::Text).chain(rows).chain([Format::Json, Format::Markdown]);
    lists.chain(reports).collect()
});

impl Format {
    pub(crate) fn is_json(self) -> bool {
        matches!(self.info().name, "json" | "jsonl")
    }

    /// What users need to know about it.
    pub(crate) fn info(self) -> FormatInfo {
        match self {
            Format::Text => FormatInfo { name: "text", help: "Plain text", extensions: &["txt"] },
            Format::Rows(rows) => rows.info(),
            Format::Json => FormatInfo {
                name: "json",
                help: "One JSON list of targets, each with its evidence and links",
                extensions: &["json"],
            },
            Format::Markdown => FormatInfo {
                name: "md",
                help: "A Markdown list with checkboxes",
                extensions: &["md", "markdown"],
            },
            Format::Report(report) => report.info(),
        }
    }

    /// The format of files with this extension.
    pub(crate) fn of_extension(extension: &str) -> Option<Format> {
        let ends = |format: &&Format| {
            format.info().extensions.iter().any(|own| extension.eq_ignore_ascii_case(own))
        };
        FORMATS.iter().find(ends).copied()
    }

    /// The usual extension of each format.
    pub(crate) fn usual_extensions() -> Vec<&'static str> {
        FORMATS.iter().filter_map(|format| format.info().extensions.first().copied()).collect()
    }
}

impl ValueEnum for Format {
    fn value_variants<'a>() -> &'a [Format] {
        &FORMATS
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        Some(PossibleValue::new(self.info().name).help(self.info().help))
    }
}

/// What is known already.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Showing")]
pub(crate) struct BaselineArg {
    /// Exit with code 1 if something is broken or doubtful that is not in this file, and not
    /// otherwise; rummage report -o FILE.baseline writes one
    #[arg(long, value_name = "FILE", conflicts_with = "fail_on", hide_short_help = true)]
    pub(crate) baseline: Option<PathBuf>,
}

/// When to exit with code 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FailOn {
    /// Something is newly broken since the previous run
    New,
    /// Something is broken
    Broken,
    /// Something is broken or doubtful
    Doubtful,
    /// Never
    Never,
}

fn separator(text: &str) -> Result<u8, String> {
    match text.as_bytes() {
        _ if text == "tab" || text == "\\t" => Ok(b'\t'),
        [one] if one.is_ascii_punctuation() && *one != b'"' || *one == b'\t' => Ok(*one),
        _ => Err("give one character, such as ; or |, or tab".to_owned()),
    }
}
