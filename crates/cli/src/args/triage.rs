//! `rummage triage`.

use std::path::PathBuf;

use clap::Args;

use super::{GroupChoice, StoredLinks};

/// Look at findings and decide about them, one by one or many at once, on a full screen
///
/// Lists the targets of the last run, worst first, with the evidence and the links of the current
/// one. A target can be checked again, waived, or given a repair, which goes into a plan for
/// rummage mend; many can be marked and decided together. The plan can be applied to the files of
/// a folder, after its changes were shown. Everything can be undone while you are there.
///
/// Every decision is a command as well: on leaving, those that do the same are printed. The
/// options under Selecting can be changed while you are there. Press ? for the keys.
///
/// Links open in the browser named by BROWSER, files in the editor named by VISUAL or EDITOR.
///
/// Exit codes: 0, 2 invalid arguments, 4 a decision could not be saved.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage triage\n  \
    rummage triage --verdict broken --scope internal --group page\n  \
    rummage triage --files ./public --as https://www.example.test/")]
pub(crate) struct TriageArgs {
    /// Plan that gets the repairs [default: plan.toml next to rummage.toml, else in this folder]
    #[arg(long, value_name = "FILE")]
    pub(crate) plan: Option<PathBuf>,
    /// Folder whose files the plan is applied to [default: the folder that was crawled]
    #[arg(long, value_name = "DIR")]
    pub(crate) files: Option<PathBuf>,
    /// URL at which the folder is published [default: that of the site]
    #[arg(long = "as", value_name = "URL")]
    pub(crate) at: Option<String>,
    /// Group targets by target, page, host or cause
    #[arg(long, value_name = "WHAT", help_heading = "Showing")]
    pub(crate) group: Option<GroupChoice>,
    #[command(flatten)]
    pub(crate) stored: StoredLinks,
}
