//! `rummage findings`.

use clap::Args;

use super::{FailOn, Selecting, Showing};

/// Show what is broken, from the store: grouped, filtered, sorted, searched
///
/// Shows the last run as `rummage crawl` showed it when it ended. Makes no requests. The totals
/// are those of the whole run, whatever is selected.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage findings --status 5xx --group host\n  \
    rummage findings --page '/news/*' -o news.csv")]
pub(crate) struct FindingsArgs {
    /// Show the run with this number [default: the last run]
    #[arg(long, value_name = "N", help_heading = "Selecting")]
    pub(crate) run: Option<i64>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
