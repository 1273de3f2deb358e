//! Messages from a machine to those above it.

use super::messages::{Halt, StartProblem, UrlId};
use super::urls::Roles;
use crate::evidence::AttemptOutcome;
use crate::extract::reading::Reading;
use crate::verdict::Cause;

/// A consequence of an input to one machine that concerns a higher one.
/// Effects are applied in the order in which they were sent.
#[derive(Debug)]
pub(super) enum Effect {
    /// For discovery: a URL has this role, as well. `first`: it is requested before others.
    Use { id: UrlId, roles: Roles, first: bool },
    /// For judging: a URL is doubtful, for a cause outside the URL itself.
    Defer { id: UrlId, cause: Cause },
    /// For judging: a server that serves other requests refused a URL: its verdict.
    FinalizeRefused { id: UrlId, outcome: AttemptOutcome },
    /// For judging: not only forms name a URL whose refusal was excused for a form.
    Rejudge { id: UrlId },
    /// For judging: the start URL may be parsed, with what was observed of it.
    ConcludeStart { id: UrlId, outcome: AttemptOutcome, reading: Option<Box<Reading>> },
    /// For discovery: the start page is parsed; further start URLs begin.
    BeginMoreStarts,
    /// For discovery: the rules that the start URL waits for are known.
    ReleaseStart,
    /// There is nothing to crawl.
    FailStart(StartProblem),
    /// The run ends early once all else is done; `at_once`: without waiting for requests in
    /// flight.
    Halt { halt: Halt, at_once: bool },
}
