//! From the command line to an exit code.
//!
//! `args` is the command line, and alone knows clap. `commands` take it, look at files and
//! settings once, pass plain values to the crates below, and report how it ended.

mod access_logs;
mod args;
mod baseline;
mod choice;
mod clock;
mod commands;
mod config;
mod digests;
mod failure;
mod fleet;
mod folder_site;
mod grounds;
mod header;
mod hours;
mod inputs;
mod jobs;
mod listing;
mod netrc;
mod output;
mod password;
mod paths;
mod patrol;
mod plan_file;
mod results;
mod routes;
mod session;
mod signals;
mod sources;
mod start;
mod triage;
mod urls;
mod values;
mod waivers;
mod watch;

use std::process::ExitCode;

use args::{Args, GlobalArgs};
use clock::WallClock;
use config::Config;
use output::Terminal;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// The settings file may have defaults for options of every command. What is wrong with the file
/// is reported by the commands that need it.
fn with_settings(args: Args) -> Result<Args, clap::Error> {
    let config = Config::load(args.global.config.as_deref()).unwrap_or_default();
    match config.defaults.own.everywhere.options().as_slice() {
        [] => Ok(args),
        defaults => args::parse(defaults),
    }
}

fn main() -> ExitCode {
    let args = match args::parse(&[]).and_then(with_settings) {
        Ok(args) => args,
        Err(error) => return failure::report_usage(&error),
    };
    let GlobalArgs { color, quiet, verbose, .. } = args.global;
    let terminal = Terminal::new(color, quiet, verbose && !quiet);
    match commands::run(args, terminal, WallClock::system()) {
        Ok(code) => code.into(),
        Err(failure) => failure.report(terminal),
    }
}
