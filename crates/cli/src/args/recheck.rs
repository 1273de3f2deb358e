//! `rummage recheck`.

use clap::{Args, ValueEnum};

use super::{Asking, FailOn, Selecting};

/// Ask findings again, and say what has changed
///
/// What is named is asked anew, by GET, as often as it takes to be sure, and the pages
/// that carry it are read again: a link that was taken out has healed. All else stands as
/// the last run found it. Without a name or a selection all findings are asked.
///
/// The result is a run like any other: findings, trace and compare know it.
///
/// Exit codes: as those of a crawl.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage recheck https://www.example.test/lost   one address\n  \
    rummage recheck --cause timeout --host '*.example.test'\n\nAll options: rummage recheck --help",
    after_long_help = "Examples:\n  rummage recheck https://www.example.test/lost   one address\n  \
    rummage recheck --cause timeout --host '*.example.test'"
)]
pub(crate) struct RecheckArgs {
    /// What to ask again: addresses, or parts of them
    #[arg(value_name = "TARGET")]
    pub(crate) targets: Vec<String>,
    /// Ask what is due by now: see rummage schedule
    #[arg(long, conflicts_with = "targets")]
    pub(crate) due: bool,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) asking: Asking,
    /// How to write it
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: RecheckFormat,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}

/// How to write what has changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum RecheckFormat {
    /// For reading
    Text,
    /// JSON Lines: an object for each address, as it was and as it is
    Jsonl,
}
