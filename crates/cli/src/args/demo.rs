//! `rummage demo`.

use std::path::PathBuf;

use clap::{Args, Subcommand};

/// Show a full example on a small simulated web that comes with the tool
///
/// The web is that of a small museum and its partners, with the faults that links
/// have in life. It is served on this machine alone; nothing is installed, and
/// nothing is left behind.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage demo\n  rummage demo serve\n  rummage demo files ./museum"
)]
pub(crate) struct DemoArgs {
    #[command(subcommand)]
    pub(crate) command: Option<DemoCommand>,
}

#[derive(Debug, Clone, Subcommand)]
pub(crate) enum DemoCommand {
    /// Write what people have at hand into a folder: built pages, a list of addresses, an
    /// access log
    Files {
        /// The folder
        #[arg(value_name = "FOLDER")]
        folder: PathBuf,
    },
    /// Only serve the simulated web, until Ctrl-C
    Serve {
        /// The web as it was some weeks earlier: for trying rummage compare
        #[arg(long)]
        earlier: bool,
        /// Also keep each letter that comes there, as a file for mail programs (.eml)
        #[arg(long, value_name = "FOLDER")]
        letters: Option<PathBuf>,
    },
}
