//! `rummage report`.

use std::path::PathBuf;

use clap::Args;

use super::{BaselineArg, FailOn, Showing, StoredLinks};

/// Write a report on a run: a page to open, a table to sort, a file for a build server
///
/// The format follows from the extension of the file: .html, .md, .csv, .json, .jsonl, .xml (JUnit),
/// .sarif, .baseline, .txt. Makes no requests. A report of an unfinished run says so.
///
/// Values in URLs that look like secrets, such as ?token=, are replaced by ***.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage report -o report.html\n  \
    rummage report -o news.csv --page '/news/*'\n  \
    rummage report -o report.html --route owners.toml")]
pub(crate) struct ReportArgs {
    #[command(flatten)]
    pub(crate) stored: StoredLinks,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// Title of the page [default: that of the site]
    #[arg(long, value_name = "TEXT", help_heading = "Showing")]
    pub(crate) title: Option<String>,
    /// Picture above the page: PNG, JPEG, SVG or WebP, at most 500 KB
    #[arg(long, value_name = "FILE", help_heading = "Showing")]
    pub(crate) logo: Option<PathBuf>,
    /// Introduction above the findings, in Markdown
    #[arg(long, value_name = "FILE", help_heading = "Showing")]
    pub(crate) intro: Option<PathBuf>,
    /// Write one file for each owner of pages; FILE has lines such as "/news/*" = "Ann", and the
    /// first pattern that matches a page decides
    #[arg(long, value_name = "FILE", help_heading = "Showing", conflicts_with = "by_folder")]
    pub(crate) route: Option<PathBuf>,
    /// Write one file for each top folder of pages
    #[arg(long, help_heading = "Showing")]
    pub(crate) by_folder: bool,
    /// Show values in URLs that look like secrets
    #[arg(long, help_heading = "Showing")]
    pub(crate) show_secrets: bool,
    /// Print the JSON Schema of json and jsonl, and do nothing else
    #[arg(long, help_heading = "Showing")]
    pub(crate) schema: bool,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
    #[command(flatten)]
    pub(crate) known: BaselineArg,
}
