//! What did the person mean?
//!
//! `args` is what was typed, and alone knows clap. `commands` take it, look at
//! the world once, hand plain settings to the crates below, and say how it ended.

mod args;
mod choice;
mod commands;
mod config;
mod digests;
mod failure;
mod hours;
mod inputs;
mod netrc;
mod output;
mod passes;
mod password;
mod paths;
mod patrol;
mod signals;
mod sources;
mod start;
mod values;
mod waivers;
mod watch;

use std::process::ExitCode;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let args = match args::parse() {
        Ok(args) => args,
        Err(error) => return failure::report_usage(&error),
    };
    let everywhere = args.everywhere.clone();
    match commands::run(args) {
        Ok(code) => code.into(),
        Err(failure) => failure.report(&everywhere),
    }
}
