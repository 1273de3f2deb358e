//! What did the person mean?
//!
//! `args` is what was typed, and alone knows clap. `commands` take it, look at
//! the world once, hand plain settings to the crates below, and say how it ended.

mod args;
mod choice;
mod clock;
mod commands;
mod config;
mod digests;
mod failure;
mod hours;
mod inputs;
mod listing;
mod netrc;
mod output;
mod passes;
mod password;
mod paths;
mod patrol;
mod session;
mod signals;
mod sources;
mod start;
mod urls;
mod values;
mod waivers;
mod watch;

use std::process::ExitCode;

use args::GlobalArgs;
use clock::WallClock;
use output::Terminal;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let args = match args::parse() {
        Ok(args) => args,
        Err(error) => return failure::report_usage(&error),
    };
    let GlobalArgs { color, quiet, verbose, .. } = args.global;
    let terminal = Terminal::new(color, quiet, verbose);
    match commands::run(args, terminal, WallClock::system()) {
        Ok(code) => code.into(),
        Err(failure) => failure.report(terminal),
    }
}
