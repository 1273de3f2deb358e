//! How to show links.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use rummage_view::{Group, Listing, Sort, columns};

use crate::failure::Failure;
use crate::values::{nearest, one_of};

/// How to show links.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Showing")]
pub(crate) struct Showing {
    /// What stands together [default: target; none for csv and jsonl]
    #[arg(long, value_name = "WHAT")]
    group: Option<GroupChoice>,
    /// Tell a link on many pages once for each, and all places of a target
    #[arg(long)]
    unfold: bool,
    /// Sort by a column, such as pages:desc [default: the worst first]
    #[arg(long, value_name = "KEY[:desc]")]
    sort: Option<String>,
    /// Show at most so many groups or rows; the counts at the head stay those of all
    #[arg(long, value_name = "N")]
    limit: Option<usize>,
    /// How to write it [default: by the ending of --output, else text]
    #[arg(long, value_name = "FORMAT")]
    format: Option<Format>,
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

impl Showing {
    /// The preset for a file: all by its ending.
    pub(crate) fn of_file(path: &std::path::Path) -> Showing {
        Showing {
            group: None,
            unfold: false,
            sort: None,
            limit: None,
            format: None,
            output: Some(path.to_owned()),
            csv_separator: b',',
        }
    }

    /// The format: as named, else by the ending of the file, else text.
    pub(crate) fn format(&self) -> Result<Format, Failure> {
        if let Some(format) = self.format {
            return Ok(format);
        }
        let Some(file) = self.output.as_deref().filter(|file| file.as_os_str() != "-") else {
            return Ok(Format::Text);
        };
        let ending = file.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
        match ending.to_ascii_lowercase().as_str() {
            "csv" => Ok(Format::Csv),
            "json" => Ok(Format::Json),
            "jsonl" | "ndjson" => Ok(Format::Jsonl),
            "md" | "markdown" => Ok(Format::Md),
            "txt" => Ok(Format::Text),
            _ => Err(Failure::Usage {
                what: format!("the ending of {} names no format", file.display()),
                hint: "End it in .txt, .csv, .json, .jsonl or .md, or name one with --format."
                    .to_owned(),
            }),
        }
    }

    /// The order, by one of these columns.
    pub(crate) fn sort_of(&self, columns: &[&str]) -> Result<Option<Sort>, Failure> {
        self.sort.as_deref().map(|text| sort_by(text, columns)).transpose()
    }

    /// How a listing that is grouped in its own way is to look.
    pub(crate) fn plain_listing(&self, verbose: bool) -> Listing {
        Listing { limit: self.limit, verbose, ..Listing::by(Group::None) }
    }

    /// How the listing is to look.
    pub(crate) fn listing(&self, verbose: bool) -> Result<Listing, Failure> {
        let format = self.format()?;
        let group = match (self.group, format) {
            (Some(GroupChoice::Target), _) => Group::Target,
            (Some(GroupChoice::Page), _) => Group::Page,
            (Some(GroupChoice::Host), _) => Group::Host,
            (Some(GroupChoice::Cause), _) => Group::Cause,
            (Some(GroupChoice::None), _) => Group::None,
            (None, Format::Csv | Format::Jsonl) => Group::None,
            (None, Format::Text | Format::Json | Format::Md) => Group::Target,
        };
        if format == Format::Json && group != Group::Target {
            return Err(Failure::Usage {
                what: "--format json holds one object a target, and no other grouping".to_owned(),
                hint: "Leave out --group, or use --format jsonl for a row a link.".to_owned(),
            });
        }
        let sort = self.sort.as_deref().map(|text| sort(text, group, format)).transpose()?;
        Ok(Listing { group, unfold: self.unfold, sort, limit: self.limit, verbose, source: None })
    }
}

/// Reads `KEY` or `KEY:desc`, where the keys are those of a grouping.
fn sort(text: &str, group: Group, format: Format) -> Result<Sort, Failure> {
    let rows = matches!(format, Format::Csv | Format::Jsonl);
    sort_by(
        text,
        match group {
            Group::Target | Group::None => columns(group),
            _ if rows => columns(Group::None),
            Group::Page => &["page", "title", "depth", "links"],
            Group::Host => &["host", "targets", "links"],
            Group::Cause => &["cause", "targets", "links"],
        },
    )
}

/// Reads `KEY` or `KEY:desc`, where these are the keys.
fn sort_by(text: &str, keys: &[&str]) -> Result<Sort, Failure> {
    let (key, descending) = match text.split_once(':') {
        None | Some((_, "asc")) => (text.trim_end_matches(":asc"), false),
        Some((key, "desc")) => (key, true),
        Some((_, way)) => {
            return Err(Failure::Usage {
                what: format!("--sort {text}: a way to sort is asc or desc, not {way}"),
                hint: "Write --sort KEY or --sort KEY:desc.".to_owned(),
            });
        }
    };
    if keys.contains(&key) {
        return Ok(Sort { key: key.to_owned(), descending });
    }
    let near = nearest(key, keys.iter().copied());
    let meant = near.map(|near| format!("Did you mean {near}? ")).unwrap_or_default();
    Err(Failure::Usage {
        what: format!("nothing here can be sorted by \"{key}\""),
        hint: format!("{meant}There is {}.", one_of(keys)),
    })
}

fn separator(text: &str) -> Result<u8, String> {
    match text.as_bytes() {
        _ if text == "tab" || text == "\\t" => Ok(b'\t'),
        [one] if one.is_ascii_punctuation() && *one != b'"' || *one == b'\t' => Ok(*one),
        _ => Err("write one sign, such as ; or | or tab".to_owned()),
    }
}
