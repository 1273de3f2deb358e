//! One file a command.

mod crawl;
mod demo;
mod findings;
mod trace;

use crate::args::{Args, Command};
use crate::failure::{Exit, Failure};

pub(crate) fn run(args: Args) -> Result<Exit, Failure> {
    match args.command {
        Command::Crawl(crawl) => crawl::run(*crawl, &args.everywhere),
        Command::Findings(findings) => findings::run(&findings, args.everywhere),
        Command::Trace(trace) => trace::run(&trace, args.everywhere),
        Command::Demo(demo) => demo::run(&demo, &args.everywhere),
    }
}
