//! `rummage init`, `rummage settings`, `rummage completions`.

use clap::Args;

use super::Asking;

/// Write a commented rummage.toml with every key and its preset
///
/// It is written into this folder, or where --config says. A file that is there already
/// is not touched. With START, the site has a section of its own.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage init\n  rummage init https://www.example.test/")]
pub(crate) struct InitArgs {
    /// Where the site begins
    pub(crate) start: Option<String>,
}

/// Show the settings in force, and where each came from
///
/// From the strongest: the command line, the environment, the section of the site, the
/// defaults of the file, and what is built in.
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
    pub(crate) asking: Asking,
}

/// Print what a shell needs to complete words of this program
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    rummage completions bash > ~/.local/share/bash-completion/completions/rummage\n  \
    rummage completions fish > ~/.config/fish/completions/rummage.fish")]
pub(crate) struct CompletionsArgs {
    /// The shell
    pub(crate) shell: clap_complete::Shell,
}
