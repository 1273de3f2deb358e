//! `rummage recheck`.

use clap::{Args, ValueEnum};

use super::{CheckOptions, FailOn, Selecting};

/// Check findings again, and report what has changed
///
/// The named targets are requested again with GET, and retried until the result is certain. The
/// pages they appear on are fetched again: a link that was removed counts as fixed. Everything
/// else keeps the results of the last run. Without targets or a selection, all findings are
/// rechecked.
///
/// A recheck is stored as a run like any other, for findings, trace and compare.
///
/// Exit codes: as for a crawl, but about the rechecked targets alone; 0 if nothing is due.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage recheck https://www.example.test/lost   one URL\n  \
    rummage recheck --cause timeout --host '*.example.test'\n\nAll options: rummage recheck --help",
    after_long_help = "Examples:\n  rummage recheck https://www.example.test/lost   one URL\n  \
    rummage recheck --cause timeout --host '*.example.test'"
)]
pub(crate) struct RecheckArgs {
    /// Targets to check again: URLs, or parts of them
    #[arg(value_name = "TARGET")]
    pub(crate) targets: Vec<String>,
    /// Check what is due now; see rummage schedule
    #[arg(long, conflicts_with = "targets")]
    pub(crate) due: bool,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: RecheckFormat,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "broken", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}

/// Output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum RecheckFormat {
    /// Plain text
    Text,
    /// JSON Lines: an object for each URL, before and after
    Jsonl,
}
