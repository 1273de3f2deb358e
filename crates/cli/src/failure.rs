//! Why a command failed: one sentence on what is wrong, one on what to do, and the exit code.

use std::io::Write;
use std::process::ExitCode;

use rummage_core::crawl::StartProblem;
use rummage_engine::{EngineError, InternalError};
use rummage_fleet::FleetError;
use rummage_store::StoreError;
use rummage_view::{ViewError, outcome, safe};

use crate::output::Terminal;

/// The exit code of a command.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Exit {
    /// Nothing broken.
    Fine = 0,
    /// Something broken.
    Broken = 1,
    /// Invalid arguments or settings.
    Usage = 2,
    /// Not finished.
    Unfinished = 3,
    /// The job could not be done.
    Impossible = 4,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> ExitCode {
        ExitCode::from(exit as u8)
    }
}

/// Why a command did not do its job.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    /// The arguments or settings are invalid.
    #[error("{what}")]
    Usage { what: String, hint: String },
    /// Another process is doing the same.
    #[error("{what}")]
    Conflict { what: String, hint: String },
    /// The start URL gives no page; `hint` if there is a better one than for everybody.
    #[error("{}", start_what(problem))]
    Start { problem: Box<StartProblem>, hint: Option<String> },
    #[error(transparent)]
    Engine(EngineError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    View(#[from] ViewError),
    #[error(transparent)]
    Fleet(#[from] FleetError),
    /// A bug of ours.
    #[error("{0}")]
    Internal(&'static str),
    #[error("{what}: {reason}")]
    System { what: &'static str, reason: std::io::Error },
}

impl From<EngineError> for Failure {
    fn from(error: EngineError) -> Failure {
        match error {
            EngineError::Store(error) => Failure::Store(error),
            EngineError::Start(problem) => Failure::Start { problem, hint: None },
            other => Failure::Engine(other),
        }
    }
}

/// Reports the URLs on which a crawl failed with an internal error. The run went on without them,
/// but the exit code must show it.
pub(crate) fn report_internal(errors: &[InternalError], exit: Exit, terminal: Terminal) -> Exit {
    if errors.is_empty() {
        return exit;
    }
    let mut out = terminal.stderr();
    let style = anstream_red();
    for InternalError { url, message } in errors {
        let (url, message) = (safe(url), safe(message));
        let _ = writeln!(out, "{style}error{style:#}: internal error on {url}: {message}");
    }
    let _ = writeln!(
        out,
        "  The crawl went on without it. This is a bug in rummage: please report it, with the page."
    );
    Exit::Impossible
}

/// Reports invalid arguments, as found by clap. Help and version are not failures.
pub(crate) fn report_usage(error: &clap::Error) -> ExitCode {
    let _ = error.print();
    let code = if error.use_stderr() { Exit::Usage } else { Exit::Fine };
    code.into()
}

impl Failure {
    /// Writes what is wrong and what to do.
    pub(crate) fn report(&self, terminal: Terminal) -> ExitCode {
        if self.is_closed_pipe() {
            return Exit::Fine.into();
        }
        let mut out = terminal.stderr();
        let (what, hint) = (self, self.hint());
        let style = anstream_red();
        let _ = writeln!(out, "{style}error{style:#}: {what}");
        if !hint.is_empty() {
            let _ = writeln!(out, "  {hint}");
        }
        self.exit().into()
    }

    /// Whether the reader of our output has gone away: no reason to complain.
    pub(crate) fn is_closed_pipe(&self) -> bool {
        matches!(self, Failure::View(ViewError::Write(error))
            if error.kind() == std::io::ErrorKind::BrokenPipe)
    }

    /// What is wrong and what to do in one line, for a log.
    pub(crate) fn sentence(&self) -> String {
        let (what, hint) = (self.to_string(), self.hint());
        if hint.is_empty() { what } else { format!("{what}. {hint}") }
    }

    fn exit(&self) -> Exit {
        match self {
            Failure::Usage { .. } => Exit::Usage,
            Failure::Store(StoreError::NothingToResume | StoreError::NoSuchRun { .. })
            | Failure::Fleet(FleetError::Address { .. } | FleetError::NoSuchSite { .. }) => {
                Exit::Usage
            }
            _ => Exit::Impossible,
        }
    }

    fn hint(&self) -> String {
        match self {
            Failure::Usage { hint, .. } | Failure::Conflict { hint, .. } => hint.clone(),
            Failure::Start { problem, hint } => {
                hint.clone().unwrap_or_else(|| start_hint(problem).to_owned())
            }
            Failure::Store(error) | Failure::View(ViewError::Store(error)) => {
                store_hint(error).to_owned()
            }
            Failure::Fleet(error) => error.hint().to_owned(),
            Failure::Internal(_) => {
                "This is a bug in rummage: please report it. What was saved is kept.".to_owned()
            }
            Failure::Engine(_) | Failure::View(_) | Failure::System { .. } => String::new(),
        }
    }
}

fn start_what(problem: &StartProblem) -> String {
    match problem {
        StartProblem::NoPage { url, outcome: seen } => {
            format!("cannot fetch the start page {}: {}", safe(url), outcome(seen))
        }
        StartProblem::NotHtml { url, media_type } => {
            let kind = media_type.as_deref().unwrap_or("of unknown type");
            format!("the start URL {} is {}, not an HTML page", safe(url), safe(kind))
        }
        StartProblem::Redirects { url } => {
            format!("the redirects of the start URL lead nowhere: stopped at {}", safe(url))
        }
        StartProblem::RobotsForbid { url } => {
            format!("robots.txt disallows the start URL {}", safe(url))
        }
        StartProblem::RobotsUnknown { url } => {
            format!("cannot fetch {}, so it is unknown which pages may be crawled", safe(url))
        }
    }
}

fn start_hint(problem: &StartProblem) -> &'static str {
    use rummage_core::evidence::{AttemptOutcome, DnsFailure, Failure as F};
    match problem {
        StartProblem::NotHtml { .. } => {
            "Give the URL of a page of the site, such as its home page."
        }
        StartProblem::Redirects { .. } => {
            "Open it in a browser, and give the URL of the page that is shown."
        }
        StartProblem::RobotsForbid { .. } | StartProblem::RobotsUnknown { .. } => {
            "If the site is yours, or its owner agrees: --robots ignore."
        }
        StartProblem::NoPage { outcome, .. } => match outcome {
            AttemptOutcome::Failure(F::Dns(DnsFailure::NoSuchName | DnsFailure::NoAddress)) => {
                "Check the spelling of the host name."
            }
            AttemptOutcome::Failure(F::Dns(_)) => {
                "Check the network connection of this machine, or name a DNS server with --dns."
            }
            AttemptOutcome::Failure(F::Refused) => {
                "Check that the server is running, and the port."
            }
            AttemptOutcome::Failure(F::Timeout(_)) => {
                "Check that the server responds in a browser; --timeout gives it more time."
            }
            AttemptOutcome::Failure(F::Tls(_)) => {
                "Check the certificate in a browser; --ca-cert trusts a private certificate authority."
            }
            AttemptOutcome::Failure(F::Private(_)) => "Use --allow-private if this is intended.",
            AttemptOutcome::Response(answer) if matches!(answer.status, 401 | 403) => {
                "Send the header the server expects with --header, or start from another page."
            }
            _ => "Open it in a browser, or start from another page of the site.",
        },
    }
}

fn store_hint(error: &StoreError) -> &'static str {
    match error {
        StoreError::Missing { .. } | StoreError::NoRun => {
            "Run rummage crawl first, or name the file with --store."
        }
        StoreError::CannotOpen { .. } | StoreError::ReadOnly => {
            "Check the folder and its permissions, or name another file with --store."
        }
        StoreError::NoSuchRun { .. } => "rummage sites runs lists the stored runs.",
        StoreError::TooOld { .. } => {
            "The file was not changed. It is from before the first release: crawl again, into \
             another file named with --store."
        }
        StoreError::NotAStore { .. } => "The file was not changed. Name another file with --store.",
        StoreError::Newer { .. } => {
            "The file was not changed. Use the newer rummage, or name another file with --store."
        }
        StoreError::DiskFull => {
            "Results so far are kept. Free some space, then continue with: rummage crawl --resume"
        }
        StoreError::Busy => "Wait until it has finished, or name another file with --store.",
        StoreError::NothingToResume => "Start a new run: rummage crawl START",
        StoreError::Damaged(_) => "The file was not changed. Name another file with --store.",
        _ => "",
    }
}

/// The style of the word "error".
fn anstream_red() -> clap::builder::styling::Style {
    clap::builder::styling::AnsiColor::Red.on_default().bold()
}
