//! The commands, one file each.

mod arrivals;
mod compare;
mod completions;
mod crawl;
mod demo;
pub(crate) mod findings;
mod fleet;

mod init;
mod man;
pub(crate) mod mend;
mod page;
mod patrol;
mod probe;
mod recheck;
mod report;
mod schedule;
mod settings;
mod sitemap;
mod sites;
pub(crate) mod source;
mod trace;
mod triage;
pub(crate) mod waive;
mod welcome;

use crate::args::{Args, Command};
use crate::clock::WallClock;
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::session::Session;

pub(crate) fn run(args: Args, terminal: Terminal, clock: WallClock) -> Result<Exit, Failure> {
    let global = args.global;
    let open = || Session::open(global.clone(), terminal, clock);
    match args.command {
        None => welcome::run(&open()?),
        Some(Command::Crawl(crawl)) => open()?.writing(|session| crawl::run(*crawl, session)),
        Some(Command::Findings(findings)) => findings::run(&findings, &open()?),
        Some(Command::Page(page)) => page::run(&page, &open()?),
        Some(Command::Probe(probe)) => probe::run(&probe, &open()?),
        Some(Command::Trace(trace)) => trace::run(&trace, &open()?),
        Some(Command::Report(report)) => report::run(&report, &open()?),
        Some(Command::Recheck(recheck)) => {
            open()?.writing(|session| recheck::run(&recheck, session))
        }
        Some(Command::Schedule(schedule)) => schedule::run(&schedule, &open()?),
        Some(Command::Patrol(patrol)) => patrol::run(&patrol, &open()?),

        Some(Command::Fleet(fleet)) => fleet::run(&fleet, terminal, &global, clock),
        Some(Command::Triage(triage)) => open()?.writing(|session| triage::run(&triage, session)),
        Some(Command::Waive(waive)) => waive::run(&waive, &open()?),
        Some(Command::Arrivals(arrivals)) => arrivals::run(&arrivals, &open()?),
        Some(Command::Mend(mend)) => mend::run(mend, terminal, open),
        Some(Command::Compare(compare)) => compare::run(&compare, &open()?),
        Some(Command::Sitemap(sitemap)) => sitemap::run(&sitemap, &open()?),
        Some(Command::Sites(sites)) => sites::run(&sites, &open()?),
        Some(Command::Init(init)) => init::run(&init, &global, terminal),
        Some(Command::Settings(settings)) => settings::run(&settings, &global, terminal),
        Some(Command::Demo(demo)) => demo::run(&demo, terminal),
        Some(Command::Man(man)) => man::run(&man, terminal),
        Some(Command::Completions(completions)) => completions::run(&completions),
    }
}
