//! What can be typed. Nothing here looks at the world or decides anything.

mod arrivals;
mod asking;
mod compare;
mod crawl;
mod demo;
mod findings;
mod page;
mod patrol;
mod probe;
mod recheck;
mod schedule;
mod selecting;
mod settings;
mod showing;
mod sites;
mod trace;
mod waive;

use std::path::PathBuf;

use clap::{Arg, Args as ClapArgs, CommandFactory, FromArgMatches, Parser, Subcommand, ValueEnum};

pub(crate) use arrivals::ArrivalsArgs;
pub(crate) use asking::{Asking, ExternalsChoice, FragmentsChoice};
pub(crate) use compare::CompareArgs;
pub(crate) use crawl::CrawlArgs;
pub(crate) use demo::{DemoArgs, DemoCommand};
pub(crate) use findings::FindingsArgs;
pub(crate) use page::PageArgs;
pub(crate) use patrol::{LogFormat, PatrolArgs};
pub(crate) use probe::ProbeArgs;
pub(crate) use recheck::{RecheckArgs, RecheckFormat};
pub(crate) use schedule::{Emit, ScheduleArgs, ScheduleFormat};
pub(crate) use selecting::{FINDINGS, Selecting};
pub(crate) use settings::{CompletionsArgs, InitArgs, SettingsArgs};
pub(crate) use showing::{FailOn, Format, GroupChoice, Showing};
pub(crate) use sites::{SitesArgs, SitesCommand};
pub(crate) use trace::{TraceArgs, TraceFormat};
pub(crate) use waive::{Until, WaiveArgs};

/// Finds the broken links of a website, and the pages they stand on.
#[derive(Debug, Parser)]
#[command(
    name = "rummage",
    version,
    disable_help_subcommand = true,
    after_help = "Examples:\n  rummage crawl www.example.test   walk a site, say what is wrong and where\n  \
        rummage demo                     see it all work on a small simulated web\n\n\
        rummage COMMAND -h tells of a command on one screen, --help of all its options.",
    max_term_width = 100
)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) global: GlobalArgs,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

/// What clap knows of our words, each command's short help on one screen.
pub(crate) fn command() -> clap::Command {
    let mut command = Args::command();
    for walks in ["crawl", "page", "probe"] {
        command = with_short_help(command, walks, is_asked_afterwards);
    }
    // These ask as the crawl did: how is rarely said anew.
    command = with_short_help(command, "recheck", |arg| is_how_to_ask(arg, &["timeout"]));
    with_short_help(command, "arrivals", |arg| {
        is_how_to_ask(arg, &["at", "timeout", "query"]) || is_of_links(arg)
    })
}

/// The short help of a command leaves out what is rare there.
fn with_short_help(
    command: clap::Command,
    name: &'static str,
    is_rare: impl Fn(&Arg) -> bool,
) -> clap::Command {
    let hide = |arg: Arg| if is_rare(&arg) { arg.hide_short_help(true) } else { arg };
    command.mut_subcommand(name, |command| command.mut_args(hide))
}

/// What is rather asked of findings, once they are there.
fn is_asked_afterwards(arg: &Arg) -> bool {
    let rare = ["unfold", "sort", "limit", "csv_separator"];
    arg.get_help_heading() == Some("Selecting") && arg.get_id() != "verdict"
        || rare.iter().any(|id| arg.get_id() == *id)
}

/// What says how to ask, but for some.
fn is_how_to_ask(arg: &Arg, common: &[&str]) -> bool {
    let common = [&["verbose"], common].concat().iter().any(|id| arg.get_id() == *id);
    let other = ["Selecting", "Showing", "Everywhere"];
    !common && arg.get_help_heading().is_some_and(|heading| !other.contains(&heading))
}

/// What only links have.
fn is_of_links(arg: &Arg) -> bool {
    let names = ["all", "scope", "element", "text", "standing", "group", "unfold", "csv_separator"];
    names.iter().any(|id| arg.get_id() == *id)
}

/// Reads the words that were typed.
pub(crate) fn parse() -> Result<Args, clap::Error> {
    let matches = command().try_get_matches()?;
    Args::from_arg_matches(&matches)
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Crawl(Box<CrawlArgs>),
    Page(Box<PageArgs>),
    Probe(Box<ProbeArgs>),
    Findings(Box<FindingsArgs>),
    Trace(TraceArgs),
    Recheck(Box<RecheckArgs>),
    Schedule(ScheduleArgs),
    Patrol(PatrolArgs),
    Waive(WaiveArgs),
    Arrivals(Box<ArrivalsArgs>),
    Compare(Box<CompareArgs>),
    Sites(SitesArgs),
    Init(InitArgs),
    Settings(Box<SettingsArgs>),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
#[command(next_help_heading = "Everywhere")]
pub(crate) struct GlobalArgs {
    /// The file that keeps what was found [default: rummage.db beside rummage.toml, else
    /// in your data folder]
    #[arg(long, global = true, value_name = "FILE", env = "RUMMAGE_STORE", hide_env = true)]
    pub(crate) store: Option<PathBuf>,
    /// The settings file [default: rummage.toml in this folder or above]
    #[arg(
        long,
        global = true,
        value_name = "FILE",
        env = "RUMMAGE_CONFIG",
        hide_env = true,
        hide_short_help = true
    )]
    pub(crate) config: Option<PathBuf>,
    /// The site that is meant, by its name in the settings file or its host [default: that
    /// of the last crawl]
    #[arg(long, global = true, value_name = "NAME", env = "RUMMAGE_SITE", hide_env = true)]
    pub(crate) site: Option<String>,
    /// Whether to use colour
    #[arg(
        long,
        global = true,
        value_name = "WHEN",
        default_value = "auto",
        env = "RUMMAGE_COLOR",
        hide_env = true,
        hide_short_help = true
    )]
    pub(crate) color: Color,
    /// Say less: no progress
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Say more: every request; why one finding comes before another
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
