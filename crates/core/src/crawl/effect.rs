//! What a machine has to say to those above it.

use super::messages::{Halt, StartProblem, UrlId};
use super::urls::Roles;
use crate::evidence::AttemptOutcome;
use crate::extract::reading::Reading;
use crate::verdict::Cause;

/// Something that follows from what a machine was told, and that concerns a higher one.
/// Effects are applied in the order in which they were said.
#[derive(Debug)]
pub(super) enum Effect {
    /// For discovery: a URL has this role, as well. `first`: it is requested before others.
    Use { id: UrlId, roles: Roles, first: bool },
    /// For judging: a URL is doubtful for a cause that says nothing of the URL itself.
    Defer { id: UrlId, cause: Cause },
    /// For judging: a URL was refused by a server that responds to others: its verdict.
    FinalizeRefused { id: UrlId, outcome: AttemptOutcome },
    /// For judging: more than a form names a URL whose refusal only a form could meet.
    JudgeAnew { id: UrlId },
    /// For judging: the start may be read, and this is what was seen of it.
    ConcludeStart { id: UrlId, outcome: AttemptOutcome, reading: Option<Reading> },
    /// For discovery: the start is read; what is to be crawled beside it begins.
    BeginMoreStarts,
    /// For discovery: the rules that the start waits for are known.
    ReleaseStart,
    /// There is nothing to crawl.
    FailStart(StartProblem),
    /// The run ends before its end once all else is done; `at_once`: requests in flight do not
    /// count any more.
    Halt { halt: Halt, at_once: bool },
}
