//! What a crawl knows of one server beside its pace.

use std::time::Duration;

use super::outage::OutageDetector;
use crate::crawl::messages::UrlId;
use crate::crawl::pace::{Signal, Strain};
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, ResponseHead, Stage};

/// This many second attempts hang in a row before the others are given up.
const HUNG_AGAIN: u32 = 8;
/// Give up on a server that has never responded after this many of its URLs time out.
const HUNG_WITHOUT_RESPONSE: u32 = 2;
/// A wait that `Retry-After` asks for is kept up to this many seconds.
const LONGEST_WAIT: u64 = 60;

/// One server.
#[derive(Debug)]
pub(super) struct Server {
    pub(super) detector: OutageDetector,
    /// URLs that were refused, whose verdicts hang on whether the server is available.
    pub(super) refused: Vec<(UrlId, AttemptOutcome)>,
    /// It asked for a wait, and got it.
    has_waited: bool,
    /// URLs that timed out to the end, while it never responded.
    hung: u32,
    /// Second attempts that timed out one after the other.
    hung_again: u32,
}

impl Server {
    pub(super) fn new(timeout: Duration) -> Server {
        Server {
            detector: OutageDetector::new(timeout),
            refused: Vec::new(),
            has_waited: false,
            hung: 0,
            hung_again: 0,
        }
    }

    /// Whether the wait that it asks for is to be kept: once.
    pub(super) fn grant_wait(&mut self) -> bool {
        !std::mem::replace(&mut self.has_waited, true)
    }

    /// A request has ended that was made after so many attempts. Gives whether second
    /// attempts are given up from now on.
    pub(super) fn handle_attempt(&mut self, outcome: &AttemptOutcome, attempts: u32) -> bool {
        if !hangs(outcome) && attempts > 0 {
            self.hung_again = 0;
        } else if hangs(outcome) && attempts == 1 {
            self.hung_again += 1;
            return self.hung_again == HUNG_AGAIN;
        }
        false
    }

    /// A URL of it has timed out to the end, and nothing of it ever responded. Gives whether
    /// the rest is given up.
    pub(super) fn handle_hung(&mut self) -> bool {
        self.hung += 1;
        self.hung >= HUNG_WITHOUT_RESPONSE
    }

    /// Whether a URL that timed out after so many attempts is not requested again, since
    /// others have timed out as well.
    pub(super) fn is_hopeless(&self, attempts: u32, has_responded: bool) -> bool {
        (self.hung >= HUNG_WITHOUT_RESPONSE && !has_responded)
            || (attempts == 0 && self.hung_again >= HUNG_AGAIN)
    }
}

/// What the outcome of a request says of the pace at which its server is requested from.
///
/// `troubled`: several of its URLs have failed in a row; `repeats`: this one has failed
/// before; `alone`: others respond meanwhile, so that the time-out is its own.
pub(super) fn signal(
    outcome: &AttemptOutcome,
    took: Duration,
    troubled: bool,
    repeats: bool,
    alone: bool,
) -> Signal {
    // What fails again and again while the rest is fine is a matter of its own.
    let own_matter = repeats && !troubled;
    match outcome {
        AttemptOutcome::ResponseHead(ResponseHead { status: 429 | 503, .. }) if own_matter => {
            Signal::Neutral
        }
        AttemptOutcome::ResponseHead(ResponseHead { status: 429, .. }) => {
            Signal::Strained(Strain::TooMany)
        }
        AttemptOutcome::ResponseHead(ResponseHead { status: 503, .. }) => {
            Signal::Strained(Strain::Unavailable)
        }
        AttemptOutcome::ResponseHead(ResponseHead { status: 500..=599, .. }) if troubled => {
            Signal::Strained(Strain::Failures)
        }
        AttemptOutcome::ResponseHead(_) => Signal::Answered(took),
        AttemptOutcome::Failure(Failure::Dns(_)) => Signal::Unreached,
        // A server that has begun to respond is not short of breath; that page is.
        AttemptOutcome::Failure(Failure::Timeout(Stage::Body)) => Signal::Neutral,
        AttemptOutcome::Failure(Failure::Timeout(_)) if alone || repeats => Signal::Neutral,
        AttemptOutcome::Failure(Failure::Timeout(_)) => Signal::Strained(Strain::Timeout),
        AttemptOutcome::Failure(Failure::Reset | Failure::Refused) if troubled => {
            Signal::Strained(Strain::Failures)
        }
        AttemptOutcome::Failure(_) => Signal::Neutral,
    }
}

/// The wait that a server asks for by 429 or 503 (RFC 9110 §10.2.3), if it is to be kept.
pub(super) fn retry_after_to_apply(outcome: &AttemptOutcome) -> Option<Duration> {
    retry_after(outcome).filter(|seconds| *seconds <= LONGEST_WAIT).map(Duration::from_secs)
}

/// Whether a server asks for a wait that is too long to be kept.
pub(in crate::crawl) fn retry_after_too_long(outcome: &AttemptOutcome) -> bool {
    retry_after(outcome).is_some_and(|seconds| seconds > LONGEST_WAIT)
}

fn retry_after(outcome: &AttemptOutcome) -> Option<u64> {
    match outcome {
        AttemptOutcome::ResponseHead(ResponseHead { status: 429 | 503, retry_after, .. }) => {
            *retry_after
        }
        _ => None,
    }
}

/// Whether nothing came in time.
pub(in crate::crawl) fn hangs(outcome: &AttemptOutcome) -> bool {
    match outcome {
        AttemptOutcome::Failure(Failure::Timeout(stage)) => *stage != Stage::Body,
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::Silence)) => true,
        _ => false,
    }
}
