//! `rummage init`, `rummage settings`, `rummage completions`.

use std::path::PathBuf;

use clap::Args;

use super::CheckOptions;

/// Write a commented rummage.toml with every key and its default
///
/// Writes to this folder, or to the file that --config names. An existing file is not touched.
/// With START, the site gets a section of its own.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage init\n  rummage init https://www.example.test/")]
pub(crate) struct InitArgs {
    /// Start URL of the site
    pub(crate) start: Option<String>,
}

/// Show the settings in force, and the source of each
///
/// In order of precedence: the command line, the environment, the site's section, the file's
/// defaults, and the built-in defaults.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage settings museum\n  \
    rummage settings www.example.test --gentle")]
pub(crate) struct SettingsArgs {
    /// The site, as for rummage crawl
    pub(crate) start: Option<String>,
    /// Print the JSON Schema of the settings file instead
    #[arg(long, conflicts_with = "start")]
    pub(crate) schema: bool,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}

/// Print or write manual pages
///
/// Prints the page of Rummage, or of one of its commands. With --output, writes a page for each
/// command into a folder.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage man crawl | man -l -\n  \
    rummage man -o ~/.local/share/man/man1")]
pub(crate) struct ManArgs {
    /// The command, such as crawl, or mend apply
    pub(crate) page: Vec<String>,
    /// Write all pages into this folder
    #[arg(short, long, value_name = "FOLDER", conflicts_with = "page")]
    pub(crate) output: Option<PathBuf>,
}

/// Print a completion script for a shell
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    rummage completions bash > ~/.local/share/bash-completion/completions/rummage\n  \
    rummage completions fish > ~/.config/fish/completions/rummage.fish")]
pub(crate) struct CompletionsArgs {
    /// The shell
    pub(crate) shell: clap_complete::Shell,
}
