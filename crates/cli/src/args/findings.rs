//! `rummage findings`.

use clap::Args;

use super::when::{Since, since};
use super::{BaselineArg, DatabaseArg, FailOn, Selecting, Showing};

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
    #[command(flatten)]
    pub(crate) known: BaselineArg,
    /// Findings of all sites of a fleet, from its database; --site names one of them
    #[arg(long, conflicts_with_all = ["run", "since", "baseline", "group", "sort", "unfold"])]
    pub(crate) fleet: bool,
    #[command(flatten)]
    pub(crate) database: DatabaseArg,
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

impl StoredLinks {
    /// The options as they can be typed.
    pub(crate) fn words(&self) -> Vec<String> {
        let mut words = Vec::new();
        if let Some(run) = self.run {
            words.extend(["--run".to_owned(), run.to_string()]);
        }
        if let Some(since) = &self.since {
            words.extend(["--since".to_owned(), since.to_string()]);
        }
        words.extend(self.selecting.words());
        words
    }
}
