//! The command line. Nothing here does I/O or decides anything.

#![allow(
    rustdoc::bare_urls,
    rustdoc::broken_intra_doc_links,
    reason = "the comments are the help: plain text"
)]

mod arrivals;
mod compare;
mod crawl;
mod defaults;
mod demo;
mod findings;
mod fleet;
mod mend;
mod options;
mod page;
mod parse;
mod patrol;
mod probe;
mod reason;
mod recheck;
mod report;
mod schedule;
mod selecting;
mod settings;
mod showing;
mod sitemap;
mod sites;
mod trace;
mod triage;
mod waive;
mod when;

use std::path::PathBuf;

use clap::{Arg, Args as ClapArgs, CommandFactory, Parser, Subcommand, ValueEnum};

pub(crate) use arrivals::ArrivalsArgs;
pub(crate) use compare::CompareArgs;
pub(crate) use crawl::CrawlArgs;
pub(crate) use demo::{DemoArgs, DemoCommand};
pub(crate) use findings::{FindingsArgs, StoredLinks};
pub(crate) use fleet::{
    DatabaseArg, FleetArgs, FleetCommand, FleetFormat, FleetSitesArgs, FleetSitesCommand,
    FleetStatusArgs, FleetWorkArgs,
};
pub(crate) use mend::{
    MendApplyArgs, MendArgs, MendCommand, MendConfirmArgs, MendRedirectsArgs, MendSetArgs,
    MendShowArgs, MendUndoArgs, ProposeArgs, RedirectForm,
};
pub(crate) use options::{CheckOptions, ExternalsChoice, FragmentsChoice};
pub(crate) use page::PageArgs;
pub(crate) use parse::{check_default, parse, parse_words};
pub(crate) use patrol::{LogFormat, PatrolArgs};
pub(crate) use probe::ProbeArgs;
pub(crate) use recheck::{RecheckArgs, RecheckFormat};
pub(crate) use report::ReportArgs;
pub(crate) use schedule::{Emit, ScheduleArgs, ScheduleFormat};
pub(crate) use selecting::{FINDINGS, Patterns, Selecting};
pub(crate) use settings::{CompletionsArgs, InitArgs, ManArgs, SettingsArgs};
pub(crate) use showing::{BaselineArg, FailOn, Format, GroupChoice, Showing};
pub(crate) use sitemap::SitemapArgs;
pub(crate) use sites::{SitesArgs, SitesCommand};
pub(crate) use trace::{TraceArgs, TraceFormat};
pub(crate) use triage::TriageArgs;
pub(crate) use waive::WaiveArgs;
pub(crate) use when::Since;

/// Finds the broken links of a website, and the pages they appear on.
#[derive(Debug, Parser)]
#[command(
    name = "rummage",
    version,
    disable_help_subcommand = true,
    after_help = "Examples:\n  rummage crawl www.example.test   crawl a site, report what is broken and where\n  \
        rummage demo                     see it all on a small simulated web\n\n\
        rummage COMMAND -h shows the common options on one screen, --help all of them.",
    max_term_width = 100
)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) global: GlobalArgs,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

/// Options about pages and the site they belong to: a list has neither.
const OF_SITES: &[&str] = &[
    "at",
    "tidy_paths",
    "externals",
    "depth",
    "max_pages",
    "within",
    "check_elements",
    "robots",
    "sitemap",
    "query",
    "max_links",
    "scope",
];

/// The clap command, with a short help for each subcommand that fits one screen.
pub(crate) fn command() -> clap::Command {
    let mut command = Args::command();
    for crawling in ["crawl", "page", "probe"] {
        command = with_short_help(command, crawling, takes_requests_later);
    }
    let hide = |arg: Arg| match OF_SITES.contains(&arg.get_id().as_str()) {
        true => arg.hide(true),
        false => arg,
    };
    command = command.mut_subcommand("probe", |probe| probe.mut_args(hide));
    // These check as the crawl did; their check options are rarely given again.
    command = with_short_help(command, "recheck", |arg| is_check_option(arg, &["timeout"]));
    command = command.mut_subcommand("mend", |mend| {
        ["propose", "confirm", "apply", "undo"].into_iter().fold(mend, |mend, name| {
            with_short_help(mend, name, |arg| is_check_option(arg, &["timeout", "user", "at"]))
        })
    });
    with_short_help(command, "arrivals", |arg| {
        is_check_option(arg, &["at", "timeout", "query"]) || is_of_links(arg)
    })
}

/// Hides rarely used options from the short help.
fn with_short_help(
    command: clap::Command,
    name: &'static str,
    is_rare: impl Fn(&Arg) -> bool,
) -> clap::Command {
    let hide = |arg: Arg| if is_rare(&arg) { arg.hide_short_help(true) } else { arg };
    command.mut_subcommand(name, |command| command.mut_args(hide))
}

/// Options that are used on existing findings more than on a new run.
fn takes_requests_later(arg: &Arg) -> bool {
    let rare = ["unfold", "sort", "limit", "csv_separator"];
    arg.get_help_heading() == Some("Selecting") && arg.get_id() != "verdict"
        || rare.iter().any(|id| arg.get_id() == *id)
}

/// The options under Checking, except `common`.
fn is_check_option(arg: &Arg, common: &[&str]) -> bool {
    let common = [&["verbose"], common].concat().iter().any(|id| arg.get_id() == *id);
    let other = ["Selecting", "Showing", "Everywhere"];
    !common && arg.get_help_heading().is_some_and(|heading| !other.contains(&heading))
}

/// Options that apply to links but not to URLs.
fn is_of_links(arg: &Arg) -> bool {
    let names =
        ["all", "scope", "element", "text", "standing", "new", "group", "unfold", "csv_separator"];
    names.iter().any(|id| arg.get_id() == *id)
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Crawl(Box<CrawlArgs>),
    Page(Box<PageArgs>),
    Probe(Box<ProbeArgs>),
    Findings(Box<FindingsArgs>),
    Trace(TraceArgs),
    Recheck(Box<RecheckArgs>),
    Report(Box<ReportArgs>),
    Schedule(ScheduleArgs),
    Patrol(PatrolArgs),
    Fleet(FleetArgs),

    Triage(Box<TriageArgs>),
    Waive(Box<WaiveArgs>),
    Arrivals(Box<ArrivalsArgs>),
    Mend(MendArgs),
    Compare(Box<CompareArgs>),
    Sitemap(SitemapArgs),
    Sites(SitesArgs),
    Init(InitArgs),
    Settings(Box<SettingsArgs>),
    Demo(DemoArgs),
    Man(ManArgs),
    Completions(CompletionsArgs),
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
#[command(next_help_heading = "Everywhere")]
pub(crate) struct GlobalArgs {
    /// Store file that keeps the results [default: rummage.db next to rummage.toml, else in your
    /// data folder]
    #[arg(long, global = true, value_name = "FILE", env = "RUMMAGE_STORE", hide_env = true)]
    pub(crate) store: Option<PathBuf>,
    /// Settings file [default: rummage.toml in this folder or a parent]
    #[arg(
        long,
        global = true,
        value_name = "FILE",
        env = "RUMMAGE_CONFIG",
        hide_env = true,
        hide_short_help = true
    )]
    pub(crate) config: Option<PathBuf>,
    /// Site to use: its name in the settings file, or its host [default: the last site crawled]
    #[arg(long, global = true, value_name = "NAME", env = "RUMMAGE_SITE", hide_env = true)]
    pub(crate) site: Option<String>,
    /// When to use color
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
    /// Do not show progress, nor results without news
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Show every request, and why findings are listed in this order
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
