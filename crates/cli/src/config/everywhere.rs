//! The keys that are options of many commands: how much to show, and how.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What to show unless the command line says otherwise. Only in `[defaults]`: these are in force
/// before it is known which site a command is about.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Everywhere {
    /// Show every request, and why findings are listed in this order
    pub(crate) verbose: Option<bool>,
    /// When to use color: auto, always or never
    pub(crate) color: Option<String>,
    /// When to exit with code 1: new, broken, doubtful or never
    pub(crate) fail_on: Option<String>,
    /// Output format, where no file is named
    pub(crate) format: Option<String>,
    /// Sort by a column, such as pages:desc
    pub(crate) sort: Option<String>,
    /// Show at most this many groups or rows
    pub(crate) limit: Option<usize>,
    /// Group results by target, page, host, cause or none
    pub(crate) group: Option<String>,
}

pub(super) const KEYS: &[(&str, Result<&str, &str>, &str)] = &[
    (
        "verbose",
        Ok("false"),
        "Show every request, and why findings are listed in this order; only in [defaults]",
    ),
    ("color", Ok("\"auto\""), "When to use color: auto, always or never; only in [defaults]"),
    (
        "fail-on",
        Err("\"new\""),
        "When to exit with code 1: new, broken, doubtful or never; only in [defaults]",
    ),
    ("format", Err("\"jsonl\""), "Output format, where no file is named; only in [defaults]"),
    ("sort", Err("\"pages:desc\""), "Sort by a column; only in [defaults]"),
    ("limit", Err("50"), "Show at most this many groups or rows; only in [defaults]"),
    (
        "group",
        Err("\"host\""),
        "Group results by target, page, host, cause or none; only in [defaults]",
    ),
];

/// Whether this is one of these keys.
pub(crate) fn knows(name: &str) -> bool {
    KEYS.iter().any(|(known, ..)| *known == name)
}

impl Everywhere {
    pub(super) fn or(self, below: Everywhere) -> Everywhere {
        Everywhere {
            verbose: self.verbose.or(below.verbose),
            color: self.color.or(below.color),
            fail_on: self.fail_on.or(below.fail_on),
            format: self.format.or(below.format),
            sort: self.sort.or(below.sort),
            limit: self.limit.or(below.limit),
            group: self.group.or(below.group),
        }
    }

    /// The keys that are set, as options with their values.
    pub(crate) fn options(&self) -> Vec<(&'static str, String)> {
        let Everywhere { verbose, color, fail_on, format, sort, limit, group } = self.clone();
        let all = [
            ("verbose", verbose.map(|is_set| is_set.to_string())),
            ("color", color),
            ("fail-on", fail_on),
            ("format", format),
            ("sort", sort),
            ("limit", limit.map(|limit| limit.to_string())),
            ("group", group),
        ];
        all.into_iter().filter_map(|(name, value)| Some((name, value?))).collect()
    }
}
