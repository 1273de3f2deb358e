//! `rummage sites`.

use clap::{Args, Subcommand};

/// Show the known sites and their stored runs
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage sites runs --site www.example.test\n  \
    rummage sites prune --keep 10")]
pub(crate) struct SitesArgs {
    #[command(subcommand)]
    pub(crate) command: Option<SitesCommand>,
}

#[derive(Debug, Clone, Copy, Subcommand)]
pub(crate) enum SitesCommand {
    /// List the stored runs of a site; of all sites without --site
    Runs,
    /// Delete old runs and free their space
    Prune {
        /// Keep this many runs of each site, the most recent ones
        #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
        keep: u32,
        /// Only show what would be deleted
        #[arg(long)]
        dry_run: bool,
    },
}
