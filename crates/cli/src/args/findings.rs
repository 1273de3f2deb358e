//! `rummage findings`, and the options that other commands share with it.

use clap::{Args, ValueEnum};
use rummage_core::selection::Selection;
use rummage_core::verdict::Verdict;

/// Show what the last run found, without asking the network
///
/// The last run of the store is shown just as `rummage crawl` showed it at its end.
#[derive(Debug, Args)]
pub(crate) struct FindingsArgs {
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    /// How to show it
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: Format,
    /// What ends the command with exit code 1
    #[arg(long, value_name = "WHAT", default_value = "never", help_heading = "Showing")]
    pub(crate) fail_on: FailOn,
}

/// Which links to show.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Selecting")]
pub(crate) struct Selecting {
    /// Show links with these verdicts, parted by commas [default: broken,doubtful,moved]
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = verdict)]
    verdict: Vec<Verdict>,
    /// Show all links, the sound ones and those not checked too
    #[arg(long, conflicts_with = "verdict")]
    all: bool,
}

impl Selecting {
    pub(crate) fn selection(&self) -> Selection {
        if self.all {
            Selection::all()
        } else if self.verdict.is_empty() {
            Selection::default()
        } else {
            Selection { verdicts: self.verdict.clone() }
        }
    }
}

/// How to show links.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For reading
    Text,
    /// JSON Lines: an object for each link
    Jsonl,
}

/// What counts as a failure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FailOn {
    /// Something is broken
    Broken,
    /// Something is broken or doubtful
    Doubtful,
    /// Nothing
    Never,
}

fn verdict(name: &str) -> Result<Verdict, String> {
    Verdict::named(name).ok_or_else(|| {
        let names: Vec<&str> = Verdict::ALL.iter().map(|verdict| verdict.as_str()).collect();
        format!("a verdict is one of {}", names.join(", "))
    })
}
