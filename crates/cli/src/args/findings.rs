//! `rummage findings`.

use clap::Args;

use super::{FailOn, Selecting, Showing};

/// Show what is wrong, from the store: grouped, filtered, sorted, searched
///
/// The last run is shown just as `rummage crawl` showed it at its end; the network is
/// not asked. Totals at the head are those of the whole run.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage findings --status 5xx --group host\n  \
    rummage findings --page '/news/*' -o news.csv")]
pub(crate) struct FindingsArgs {
    /// Show the run of this number [default: the last]
    #[arg(long, value_name = "N", help_heading = "Selecting")]
    pub(crate) run: Option<i64>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) showing: Showing,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
