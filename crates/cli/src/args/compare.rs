//! `rummage compare`.

use clap::Args;

use super::{FailOn, Selecting};

/// Show what is newly broken, fixed and still open between two runs of a site
///
/// Newly broken links come first. A link that the earlier run could not have checked, because of
/// other settings or an older version of Rummage, is not reported as new. A link that the later
/// run did not check is not reported as fixed.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage compare          the last two runs\n  \
    rummage compare 3 7      run 3 against run 7")]
pub(crate) struct CompareArgs {
    /// Number of the earlier run [default: the one before the later run]
    #[arg(value_name = "A")]
    pub(crate) earlier: Option<i64>,
    /// Number of the later run [default: the last run]
    #[arg(value_name = "B")]
    pub(crate) later: Option<i64>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    /// List every occurrence, and each copy of a link shared by many pages
    #[arg(long, help_heading = "Showing")]
    pub(crate) unfold: bool,
    /// Show at most this many targets in each section
    #[arg(long, value_name = "N", help_heading = "Showing")]
    pub(crate) limit: Option<usize>,
    /// When to exit with code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
