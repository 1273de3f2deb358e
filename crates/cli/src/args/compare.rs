//! `rummage compare`.

use clap::Args;

use super::{FailOn, Selecting};

/// Show what broke, healed and is still open between two runs of a site
///
/// What broke comes first. What the earlier run could not have seen, for other settings
/// or an older version of the tool, is not called new; what the later run did not look
/// at is not called healed.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage compare          the last two runs\n  \
    rummage compare 3 7      run 7 beside run 3")]
pub(crate) struct CompareArgs {
    /// The number of the earlier run [default: the one before the later]
    #[arg(value_name = "A")]
    pub(crate) earlier: Option<i64>,
    /// The number of the later run [default: the last]
    #[arg(value_name = "B")]
    pub(crate) later: Option<i64>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    /// Tell a link on many pages once for each, and all places of a target
    #[arg(long, help_heading = "Showing")]
    pub(crate) unfold: bool,
    /// Show at most so many targets of each part
    #[arg(long, value_name = "N", help_heading = "Showing")]
    pub(crate) limit: Option<usize>,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}
