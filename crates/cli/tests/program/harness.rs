//! A folder, a web, and the built program; shows everything when a check fails.

use std::path::PathBuf;
use std::process::{Command, Stdio};

use rummage_demo::{Scenario, Web, serve};
use serde_json::Value;
use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::running::finish;

/// Stands in a note about a server whose responses were slow or timed out. On a slow machine that
/// note may appear for any server.
pub(crate) const OVERLOADED: &str = " was overloaded";

/// A served web, and a folder for results.
pub(crate) struct Stage {
    pub(crate) folder: TempDir,
    pub(crate) web: Web,
    environment: Vec<(&'static str, String)>,
    /// The web runs on its threads.
    _runtime: Runtime,
}

/// The result of a program run.
pub(crate) struct Outcome {
    pub(crate) code: Option<i32>,
    pub(crate) out: String,
    pub(crate) err: String,
    pub(crate) words: Vec<String>,
}

impl Stage {
    pub(crate) fn new(scenario: &Scenario) -> Stage {
        let runtime = tokio::runtime::Builder::new_multi_thread()
            .worker_threads(1)
            .enable_all()
            .build()
            .unwrap();
        let folder = TempDir::new().unwrap();
        let web = runtime.block_on(serve(scenario)).unwrap();
        let certificate = folder.path().join("authority.pem");
        std::fs::write(&certificate, &web.certificate).unwrap();
        let mut environment = web.environment(certificate.to_str().unwrap());
        environment.push(("RUMMAGE_STORE", folder.path().join("store.db").display().to_string()));
        Stage { folder, web, environment, _runtime: runtime }
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// The program with these arguments, ready to start.
    pub(crate) fn command(&self, words: &[&str]) -> Command {
        let mut command = program(words);
        command.current_dir(self.folder.path());
        command.envs(self.environment.iter().map(|(name, value)| (name, value)));
        command
    }

    /// Runs the program to its end.
    #[track_caller]
    pub(crate) fn run(&self, words: &[&str]) -> Outcome {
        finish(words, &mut self.command(words))
    }
}

/// The program with these arguments, and nothing of this machine's settings.
pub(crate) fn program(words: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_rummage"));
    command
        .args(words)
        .stdin(Stdio::null())
        .env_remove("NO_COLOR")
        .env_remove("TERM")
        .env("TZ", "UTC");
    let ours = |name: &str| name.starts_with("RUMMAGE_") || name.to_lowercase().ends_with("_proxy");
    for (name, _) in std::env::vars().filter(|(name, _)| ours(name)) {
        command.env_remove(name);
    }
    command
}

impl Outcome {
    /// Checks the exit code, and shows everything if it is another.
    #[track_caller]
    pub(crate) fn ends(self, code: i32) -> Outcome {
        assert_eq!(self.code, Some(code), "{self}");
        self
    }

    /// The lines of JSON on standard output.
    #[track_caller]
    pub(crate) fn json(&self) -> Vec<Value> {
        let parse = |line: &str| {
            serde_json::from_str(line).unwrap_or_else(|error| panic!("{error} in {line}\n{self}"))
        };
        self.out.lines().map(parse).collect()
    }
}

/// Rows without what differs from run to run: times, and how often a slow server was asked.
pub(crate) fn without_times(mut rows: Vec<Value>, others: &[&str]) -> Vec<Value> {
    for row in &mut rows {
        let row = row.as_object_mut().unwrap();
        row.retain(|key, _| {
            !["checked_at", "ms", "attempts"].iter().chain(others).any(|other| *other == key)
        });
    }
    rows
}

impl std::fmt::Display for Outcome {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        writeln!(f, "rummage {} ended with {:?}", self.words.join(" "), self.code)?;
        writeln!(f, "--- standard output\n{}\n--- standard error\n{}", self.out, self.err)
    }
}
