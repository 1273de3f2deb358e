//! `rummage waive`.

use clap::{ArgGroup, Args};
use jiff::civil::Date;
use rummage_core::verdict::Cause;

use super::selecting::cause;

/// Set findings aside, with a reason and an end
///
/// A waiver is a decision: it stands in waivers.toml, beside the settings file or the
/// store, and holds for what fits all of its kinds of patterns. With --leave (the preset)
/// findings are left until a day. With --works somebody has looked, and they are set aside
/// for as long as they answer as they do now. Waived findings are counted apart, never
/// fail a build, and are asked more rarely; rummage findings --standing waived shows them.
#[derive(Debug, Args)]
#[command(
    group(ArgGroup::new("deed").args(["reason", "dry_run", "list", "lift"]).required(true).multiple(true)),
    after_help = "Examples:\n  rummage waive --host '*.partner.test' --cause access-refused --works \\\n    \
    --reason 'they refuse robots; looked at by hand'\n  \
    rummage waive --page '/archive/*' --until 90d --reason 'goes in spring' --dry-run\n  \
    rummage waive --list"
)]
pub(crate) struct WaiveArgs {
    /// Addresses, or patterns for them, as with --target
    #[arg(value_name = "TARGET")]
    pub(crate) targets: Vec<String>,
    /// To targets that fit; only * is special, and it crosses / (repeatable)
    #[arg(long, value_name = "PATTERN", help_heading = "Selecting")]
    pub(crate) target: Vec<String>,
    /// To hosts that fit, such as *.example.test (repeatable)
    #[arg(long, value_name = "PATTERN", help_heading = "Selecting")]
    pub(crate) host: Vec<String>,
    /// On pages that fit, such as /news/* (repeatable)
    #[arg(long, value_name = "PATTERN", help_heading = "Selecting")]
    pub(crate) page: Vec<String>,
    /// With these causes, parted by commas, such as not-found,timeout
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = cause, help_heading = "Selecting")]
    pub(crate) cause: Vec<Cause>,
    /// Why: what somebody wants to know who finds this in a year
    #[arg(long, value_name = "TEXT", value_parser = reason)]
    pub(crate) reason: Option<String>,
    /// Somebody looked, and it works: holds while it answers as it does now
    #[arg(long)]
    pub(crate) works: bool,
    /// It is known, and left as it is [the preset]
    #[arg(long, conflicts_with = "works")]
    pub(crate) leave: bool,
    /// The day from which it holds no more, or how long it holds, such as 2027-05-01 or 90d
    /// [default: 180d; with --works no end]
    #[arg(long, value_name = "WHEN", value_parser = until)]
    pub(crate) until: Option<Until>,
    /// Show what it would cover, and write nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// List all waivers: how old, what each covers now, which are not needed any more
    #[arg(long, conflicts_with_all = ["reason", "lift", "dry_run"])]
    pub(crate) list: bool,
    /// Take waivers away, by their numbers in the list, parted by commas
    #[arg(long, value_name = "N", value_delimiter = ',', conflicts_with = "reason")]
    pub(crate) lift: Vec<usize>,
}

fn reason(text: &str) -> Result<String, String> {
    match text.trim() {
        "" => Err("write some words; whoever finds the waiver in a year will want them".to_owned()),
        words => Ok(words.to_owned()),
    }
}

/// A day, or as many days from now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Until {
    Day(Date),
    InDays(i64),
}

fn until(text: &str) -> Result<Until, String> {
    let days = text.strip_suffix('d').and_then(|days| days.parse::<i64>().ok());
    let until = match days {
        Some(days) => (1..=36_500).contains(&days).then_some(Until::InDays(days)),
        None => text.parse::<Date>().ok().map(Until::Day),
    };
    until.ok_or("write a day such as 2027-05-01, or a number of days such as 90d".to_owned())
}
