//! `rummage demo`.

use std::path::PathBuf;

use clap::{Args, Subcommand};

/// Show a full example on a small simulated web that ships with Rummage
///
/// The web is that of a small museum and its partners, with the kinds of broken links that real
/// sites have. It is served on this machine only. Nothing is installed, and nothing is left
/// behind.
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
    /// Write sample files to a folder: built pages, a list of URLs, an access log
    Files {
        /// Folder to write to
        #[arg(value_name = "FOLDER")]
        folder: PathBuf,
    },
    /// Serve the simulated web until Ctrl-C
    Serve {
        /// Serve the web as it was some weeks earlier, to try rummage compare
        #[arg(long)]
        earlier: bool,
        /// Also save each email that arrives to a file (.eml) in this folder
        #[arg(long, value_name = "FOLDER")]
        emails: Option<PathBuf>,
    },
}
