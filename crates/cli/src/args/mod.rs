//! What can be typed. Nothing here looks at the world or decides anything.

mod asking;
mod crawl;
mod demo;
mod findings;
mod trace;

use std::path::PathBuf;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};

pub(crate) use asking::{Asking, ExternalsChoice, FragmentsChoice};
pub(crate) use crawl::CrawlArgs;
pub(crate) use demo::{DemoArgs, DemoCommand};
pub(crate) use findings::{FailOn, FindingsArgs, Format, Selecting};
pub(crate) use trace::TraceArgs;

/// Finds the broken links of a website, and the pages they stand on.
#[derive(Debug, Parser)]
#[command(
    name = "rummage",
    version,
    disable_help_subcommand = true,
    after_help = "Start with: rummage crawl www.example.test\n\
        See it all work on a small simulated web: rummage demo",
    max_term_width = 100
)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) everywhere: Everywhere,
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Crawl(Box<CrawlArgs>),
    Findings(FindingsArgs),
    Trace(TraceArgs),
    Demo(DemoArgs),
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
#[command(next_help_heading = "Everywhere")]
pub(crate) struct Everywhere {
    /// The file that keeps what was found [default: in your data folder]
    #[arg(long, global = true, value_name = "FILE", env = "RUMMAGE_STORE", hide_env = true)]
    pub(crate) store: Option<PathBuf>,
    /// Whether to use colour
    #[arg(
        long,
        global = true,
        value_name = "WHEN",
        default_value = "auto",
        env = "RUMMAGE_COLOR",
        hide_env = true
    )]
    pub(crate) color: Color,
    /// Say less: no progress
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Say more: every request
    #[arg(short, long, global = true)]
    pub(crate) verbose: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Color {
    /// On a terminal, unless `NO_COLOR` is set
    Auto,
    Always,
    Never,
}
