//! `rummage fleet`.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::LogFormat;
use crate::values::{Rate, Time, patience, rate};

/// Watch many sites from many machines, with the results in one PostgreSQL database
///
/// Each machine runs `rummage fleet work`. A worker takes the most overdue site, checks it as
/// `rummage patrol` would, and saves its store and findings in the database. If a worker dies,
/// another goes on with its sites.
///
/// docs/fleet.md describes the way from one machine to many.
#[derive(Debug, Args)]
#[command(
    arg_required_else_help = true,
    after_help = "Examples:\n  export RUMMAGE_DATABASE_URL=postgres://rummage@db.example.test/fleet\n  \
    rummage fleet prepare\n  \
    rummage fleet sites import rummage.toml\n  \
    rummage fleet work\n  \
    rummage fleet status"
)]
pub(crate) struct FleetArgs {
    #[command(flatten)]
    pub(crate) database: DatabaseArg,
    #[command(subcommand)]
    pub(crate) command: FleetCommand,
}

/// Where the database is.
#[derive(Debug, Clone, Args)]
pub(crate) struct DatabaseArg {
    /// PostgreSQL database of the fleet, such as postgres://rummage@db.example.test/fleet
    /// [env: RUMMAGE_DATABASE_URL, the place for a URL with a password]
    #[arg(
        long,
        value_name = "URL",
        global = true,
        help_heading = "Everywhere",
        hide_short_help = true
    )]
    pub(crate) database: Option<String>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum FleetCommand {
    /// Create the tables of the fleet in its database, or migrate them to this version
    Prepare,
    Sites(FleetSitesArgs),
    Work(FleetWorkArgs),
    Status(FleetStatusArgs),
}

/// List the sites of the fleet, add or remove some
#[derive(Debug, Args)]
pub(crate) struct FleetSitesArgs {
    #[command(subcommand)]
    pub(crate) command: Option<FleetSitesCommand>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum FleetSitesCommand {
    /// List the sites, as without a command
    List,
    /// Add every site in a settings file, and the waivers beside it; known ones get these settings
    Import {
        /// Settings file
        file: PathBuf,
    },
    /// Add a site with default settings
    Add {
        /// Name of the site
        name: String,
        /// Start URL
        start: String,
    },
    /// Remove sites, with everything that is known about them
    Remove {
        /// Names of sites
        #[arg(required = true)]
        names: Vec<String>,
    },
    /// Crawl sites now, whatever is due
    Crawl {
        /// Names of sites
        #[arg(required = true)]
        names: Vec<String>,
        /// Believe the result, however suspicious
        #[arg(long)]
        accept: bool,
    },
    /// Forget the saved stores of sites, and crawl them as if for the first time
    Reset {
        /// Names of sites
        #[arg(required = true)]
        names: Vec<String>,
    },
}

/// Run a worker: take sites that are due, check them, save the results
///
/// Runs until SIGTERM or Ctrl-C; what is under way is saved and handed back, and another worker
/// goes on with it. While the database is not available, it waits.
///
/// Exit codes: 0 ended on request; 3 with --once, something could not be checked; 4 could not
/// start.
#[derive(Debug, Args)]
pub(crate) struct FleetWorkArgs {
    /// Check what is due now, then exit
    #[arg(long)]
    pub(crate) once: bool,
    /// How many sites to check at the same time
    #[arg(long, value_name = "N", default_value = "4",
        value_parser = clap::value_parser!(u16).range(1..=64))]
    pub(crate) sites: u16,
    /// Folder for the stores that are being worked on; each worker has its own [default: in your
    /// data folder]
    #[arg(long, value_name = "FOLDER")]
    pub(crate) folder: Option<PathBuf>,
    /// Name of this worker [default: machine and process]
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// How often to save the store of a long crawl
    #[arg(long, value_name = "TIME", default_value = "5m", value_parser = patience)]
    pub(crate) snapshot_every: Time,
    /// Requests to an external host by all workers together, such as 2/s or 30/m
    #[arg(long, value_name = "N/s", default_value = "2/s", value_parser = rate)]
    pub(crate) external_rate: Rate,
    /// Print a systemd service instead
    #[arg(long, value_name = "WHAT", conflicts_with = "once")]
    pub(crate) emit: Option<WorkerUnit>,
    /// Log format, on standard error
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) log: LogFormat,
}

/// A system that keeps a worker running.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum WorkerUnit {
    /// A systemd service, for a server
    Systemd,
}

/// Show workers, the queue, and what is wrong
#[derive(Debug, Args)]
pub(crate) struct FleetStatusArgs {
    /// Output format
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: FleetFormat,
}

/// Output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FleetFormat {
    /// Plain text
    Text,
    /// JSON Lines: an object for the fleet, one for each worker
    Jsonl,
}
