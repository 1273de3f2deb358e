//! `rummage waive`.

use clap::{ArgGroup, Args};

use super::Selecting;
use super::when::{When, when};

/// Waive findings, with a reason and an end date
///
/// A waiver is a decision to leave a finding alone. Waivers are kept in waivers.toml, next to the
/// settings file or the store. A waiver covers links that match all of its kinds of patterns:
/// target, host, page and cause, except the targets of --except. With any other option under
/// Selecting, it covers exactly the targets that are selected now.
///
/// With --leave (the default), it ends on a date. With --works, someone has checked that the
/// target works, and the waiver holds while the target responds as it does now. Waived findings
/// are counted separately, never fail a build, and are rechecked less often; rummage findings
/// --standing waived shows them.
#[derive(Debug, Args)]
#[command(
    mut_arg("all", |all| all.help("All findings").conflicts_with("targets")),
    group(ArgGroup::new("deed").args(["reason", "dry_run", "list", "lift"]).required(true).multiple(true)),
    after_help = "Examples:\n  rummage waive --host '*.partner.test' --cause access-refused --works \\\n    \
    --reason 'site refuses robots; checked by hand'\n  \
    rummage waive --page '/archive/*' --until 90d --reason 'archive closes in spring' --dry-run\n  \
    rummage waive --list"
)]
pub(crate) struct WaiveArgs {
    /// Targets to waive: URLs or patterns, as for --target
    #[arg(value_name = "TARGET")]
    pub(crate) targets: Vec<String>,
    /// The reason, for people who find the waiver a year from now
    #[arg(long, value_name = "TEXT", value_parser = reason)]
    pub(crate) reason: Option<String>,
    /// A person checked that it works: holds while the target responds as it does now
    #[arg(long)]
    pub(crate) works: bool,
    /// A known problem, left as it is [default]
    #[arg(long, conflicts_with = "works")]
    pub(crate) leave: bool,
    /// Date on which the waiver ends, or how long it holds, such as 2027-05-01, 90d or 4w
    /// [default: 180d; with --works, no end]
    #[arg(long, value_name = "WHEN", value_parser = when)]
    pub(crate) until: Option<When>,
    /// Show which findings it would cover, without writing anything
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// List all waivers: their age, what they cover now, and which are no longer needed
    #[arg(long, conflicts_with_all = ["reason", "lift", "dry_run"])]
    pub(crate) list: bool,
    /// Remove waivers, by their numbers in the list, separated by commas
    #[arg(long, value_name = "N", value_delimiter = ',', conflicts_with = "reason")]
    pub(crate) lift: Vec<usize>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
}

fn reason(text: &str) -> Result<String, String> {
    match text.trim() {
        "" => Err("give a reason, for people who find the waiver a year from now".to_owned()),
        words => Ok(words.to_owned()),
    }
}
