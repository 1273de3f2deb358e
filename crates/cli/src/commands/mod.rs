//! One file a command.

mod arrivals;
mod compare;
mod completions;
mod crawl;
mod demo;
mod findings;
mod init;
mod page;
mod patrol;
mod probe;
mod recheck;
mod schedule;
mod settings;
mod sites;
mod source;
mod trace;
mod waive;
mod welcome;

use crate::args::{Args, Command};
use crate::failure::{Exit, Failure};

pub(crate) fn run(args: Args) -> Result<Exit, Failure> {
    let everywhere = &args.everywhere;
    match args.command {
        None => welcome::run(everywhere),
        Some(Command::Crawl(crawl)) => crawl::run(*crawl, everywhere),
        Some(Command::Findings(findings)) => findings::run(&findings, everywhere),
        Some(Command::Page(page)) => page::run(&page, everywhere),
        Some(Command::Probe(probe)) => probe::run(&probe, everywhere),
        Some(Command::Trace(trace)) => trace::run(&trace, everywhere),
        Some(Command::Recheck(recheck)) => recheck::run(&recheck, everywhere),
        Some(Command::Schedule(schedule)) => schedule::run(&schedule, everywhere),
        Some(Command::Patrol(patrol)) => patrol::run(&patrol, everywhere),
        Some(Command::Waive(waive)) => waive::run(&waive, everywhere),
        Some(Command::Arrivals(arrivals)) => arrivals::run(&arrivals, everywhere),
        Some(Command::Compare(compare)) => compare::run(&compare, everywhere),
        Some(Command::Sites(sites)) => sites::run(&sites, everywhere),
        Some(Command::Init(init)) => init::run(&init, everywhere),
        Some(Command::Settings(settings)) => settings::run(&settings, everywhere),
        Some(Command::Demo(demo)) => demo::run(&demo, everywhere),
        Some(Command::Completions(completions)) => completions::run(&completions),
    }
}
