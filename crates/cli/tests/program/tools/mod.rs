//! Tests that need optional programs, and the one way to find these.
//!
//! If the program is missing, such a test reports it and checks nothing. With
//! `RUMMAGE_TEST_TOOLS=all` in the environment that is a failure: CI installs all referrers.

mod browser;
mod cron;
#[cfg(unix)]
mod fleet;
mod git;
mod libreoffice;
#[cfg(unix)]
mod postgres;
mod redirecting;
mod systemd;

use std::net::TcpListener;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU16, Ordering};

/// The path of this program, if the machine has it.
///
/// # Panics
/// If it is missing although all programs should be there.
pub(crate) fn find(program: &str) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let found = std::env::split_paths(&path).map(|folder| folder.join(program));
    let found = found.into_iter().find(|file| file.is_file());
    if found.is_none() {
        skip(&format!("{program} is not installed"));
    }
    found
}

/// A port for a server of another program, which has it to itself: ports from 32768 on may be those
/// of a connection by the time it starts.
pub(crate) fn free_port() -> u16 {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    let first = 20_000 + u16::try_from(std::process::id() % 1000).unwrap() * 10;
    loop {
        let port = first + NEXT.fetch_add(1, Ordering::Relaxed);
        if TcpListener::bind(("127.0.0.1", port)).is_ok() {
            return port;
        }
    }
}

/// This machine cannot do what a test needs: a failure if it should.
pub(crate) fn skip(why: &str) {
    let all = std::env::var("RUMMAGE_TEST_TOOLS").is_ok_and(|value| value == "all");
    assert!(!all, "all tools should be here, but {why}");
    #[expect(clippy::print_stdout, reason = "a test that checks nothing says so")]
    {
        println!("skipped: {why}");
    }
}
