//! Why a command failed: one sentence what is wrong, one what to do, and the exit code.

use std::io::Write;
use std::process::ExitCode;

use rummage_core::crawl::StartProblem;
use rummage_engine::{EngineError, InternalError};
use rummage_store::StoreError;
use rummage_view::{ViewError, ending, safe};

use crate::output::Terminal;

/// How a command ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// Nothing broken.
    Fine = 0,
    /// Something broken.
    Broken = 1,
    /// Wrong words or settings.
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
    /// The person meant something else.
    #[error("{what}")]
    Usage { what: String, hint: String },
    /// Another program does the same.
    #[error("{what}")]
    Conflict { what: String, hint: String },
    #[error(transparent)]
    Engine(EngineError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    View(#[from] ViewError),
    #[error("{what}: {why}")]
    System { what: &'static str, why: std::io::Error },
}

impl From<EngineError> for Failure {
    fn from(error: EngineError) -> Failure {
        match error {
            EngineError::Store(error) => Failure::Store(error),
            other => Failure::Engine(other),
        }
    }
}

/// Reports what this program failed on while it crawled: the run went on without it, and its
/// exit code says so, whatever else was found.
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
        "  The run went on without it. This is a fault of rummage: please report it, with the page."
    );
    Exit::Impossible
}

/// Wrong words, found by clap: help and version are no failures.
pub(crate) fn report_usage(error: &clap::Error) -> ExitCode {
    let _ = error.print();
    let code = if error.use_stderr() { Exit::Usage } else { Exit::Fine };
    code.into()
}

impl Failure {
    /// Says what is wrong and what to do.
    pub(crate) fn report(&self, terminal: Terminal) -> ExitCode {
        if self.is_closed_pipe() {
            return Exit::Fine.into();
        }
        let mut out = terminal.stderr();
        let (what, hint) = (self.what(), self.hint());
        let style = anstream_red();
        let _ = writeln!(out, "{style}error{style:#}: {what}");
        if !hint.is_empty() {
            let _ = writeln!(out, "  {hint}");
        }
        self.exit().into()
    }

    /// Whether nobody reads our output any more: no reason to complain.
    pub(crate) fn is_closed_pipe(&self) -> bool {
        matches!(self, Failure::View(ViewError::Write(error))
            if error.kind() == std::io::ErrorKind::BrokenPipe)
    }

    /// What is wrong, and what to do, in one line: for a log.
    pub(crate) fn sentence(&self) -> String {
        let (what, hint) = (self.what(), self.hint());
        if hint.is_empty() { what } else { format!("{what}. {hint}") }
    }

    fn exit(&self) -> Exit {
        match self {
            Failure::Usage { .. } => Exit::Usage,
            Failure::Store(StoreError::NothingToResume | StoreError::NoSuchRun { .. }) => {
                Exit::Usage
            }
            _ => Exit::Impossible,
        }
    }

    fn what(&self) -> String {
        match self {
            Failure::Engine(EngineError::Start(problem)) => start_what(problem),
            other => other.to_string(),
        }
    }

    fn hint(&self) -> String {
        match self {
            Failure::Usage { hint, .. } | Failure::Conflict { hint, .. } => hint.clone(),
            Failure::Engine(EngineError::Start(problem)) => start_hint(problem).to_owned(),
            Failure::Store(error) | Failure::View(ViewError::Store(error)) => {
                store_hint(error).to_owned()
            }
            Failure::Engine(_) | Failure::View(_) | Failure::System { .. } => String::new(),
        }
    }
}

fn start_what(problem: &StartProblem) -> String {
    match problem {
        StartProblem::NoPage { address, ending: seen } => {
            format!("the start {} gave no page: {}", safe(address), ending(seen))
        }
        StartProblem::NotHtml { address, media_type } => {
            let kind = media_type.as_deref().unwrap_or("of no stated type");
            format!("the start {} is {}, not an HTML page", safe(address), safe(kind))
        }
        StartProblem::Redirects { address } => {
            format!("the redirects of the start lead nowhere: given up at {}", safe(address))
        }
        StartProblem::RobotsForbid { address } => {
            format!("robots.txt asks robots not to read the start {}", safe(address))
        }
        StartProblem::RobotsUnknown { address } => {
            format!("{} could not be had, so nobody knows what may be read", safe(address))
        }
    }
}

fn start_hint(problem: &StartProblem) -> &'static str {
    use rummage_core::evidence::{DnsFailure, Ending, Failure as F};
    match problem {
        StartProblem::NotHtml { .. } => {
            "Give the address of a page of the site, such as its home page."
        }
        StartProblem::Redirects { .. } => {
            "Open it in a browser, and give the address of the page that you see."
        }
        StartProblem::RobotsForbid { .. } | StartProblem::RobotsUnknown { .. } => {
            "If the site is yours, or its owner agrees: --robots ignore."
        }
        StartProblem::NoPage { ending, .. } => match ending {
            Ending::Failure(F::Dns(DnsFailure::NoSuchName | DnsFailure::NoAddress)) => {
                "Check the spelling of the host name."
            }
            Ending::Failure(F::Dns(_)) => {
                "Check that this machine is on line, or name a server with --dns."
            }
            Ending::Failure(F::Refused) => "Check that the server runs, and on which port.",
            Ending::Failure(F::Timeout(_)) => {
                "Check that the server answers in a browser; --timeout gives it longer."
            }
            Ending::Failure(F::Tls(_)) => {
                "Check the certificate in a browser; --ca-cert trusts a private authority."
            }
            Ending::Failure(F::Private(_)) => "Use --allow-private if that is meant.",
            Ending::Answer(answer) if matches!(answer.status, 401 | 403) => {
                "Give what the server wants to see with --header, or another page to start from."
            }
            _ => "Open it in a browser, or give another page of the site.",
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
        StoreError::NoSuchRun { .. } => "rummage sites runs lists those that there are.",
        StoreError::TooOld { .. } => {
            "Nothing was changed in it. It is from before the first release: crawl anew, into \
             another file named with --store."
        }
        StoreError::NotAStore { .. } => {
            "Nothing was changed in it. Name another file with --store."
        }
        StoreError::Newer { .. } => {
            "Nothing was changed in it. Use the newer rummage, or name another file with --store."
        }
        StoreError::DiskFull => {
            "What was found is kept. Make room, then go on with: rummage crawl --resume"
        }
        StoreError::Busy => "Wait until it has ended, or name another file with --store.",
        StoreError::NothingToResume => "Start a new run: rummage crawl START",
        StoreError::Damaged(_) => "Nothing was changed in it. Name another file with --store.",
        _ => "",
    }
}

/// The colour of the word "error".
fn anstream_red() -> clap::builder::styling::Style {
    clap::builder::styling::AnsiColor::Red.on_default().bold()
}
