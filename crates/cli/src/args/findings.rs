//! `rummage findings`.

use std::path::PathBuf;

use clap::Args;

use super::when::{Since, since};
use super::{FailOn, Selecting, Showing};

/// Show what is broken, from the store: grouped, filtered, sorted, searched
///
/// Shows the last run as `rummage crawl` showed it when it ended. Makes no requests. The totals
/// are those of the whole run, whatever is selected. With --site all, the last run of each site.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage findings --status 5xx --group host\n  \
    rummage findings --page '/news/*' -o news.csv")]
pub(crate) struct FindingsArgs {
    #[command(flatten)]
    pub(crate) stored: StoredLinks,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
    /// Exit with code 1 if something is broken or doubtful that is not in this file, and not
    /// otherwise; rummage report -o FILE.baseline writes one
    #[arg(
        long,
        value_name = "FILE",
        help_heading = "Showing",
        conflicts_with = "fail_on",
        hide_short_help = true
    )]
    pub(crate) baseline: Option<PathBuf>,
}

/// Which links of which run, from the store.
#[derive(Debug, Args)]
pub(crate) struct StoredLinks {
    /// Show the run with this number [default: the last run]
    #[arg(long, value_name = "N", help_heading = "Selecting")]
    pub(crate) run: Option<i64>,
    /// Findings that were found first by this run or later, or since this date, such as 7,
    /// 2026-12-24 or 30d
    #[arg(long, value_name = "RUN|DATE", value_parser = since, help_heading = "Selecting")]
    pub(crate) since: Option<Since>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
}
