//! What a crawl knows of one server, apart from its pace.

use std::time::Duration;

use super::luck::Luck;
use super::outage::OutageDetector;
use crate::crawl::messages::UrlId;
use crate::crawl::pace::{Signal, Strain};
use crate::crawl::requests::LATER_AT_ONCE;
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, ResponseHead, Stage};

/// After this many second attempts in a row have timed out, further ones are not made.
const HUNG_AGAIN: u32 = 8;
/// After this many bodies in a row that did not end in time, others get less of it.
const DRIPPED: u32 = 2;
/// After this many, no more are requested.
const ONLY_DRIPS: u32 = 10;
/// Give up on a server that has never responded after this many of its URLs time out.
const HUNG_WITHOUT_RESPONSE: u32 = 2;
/// `Retry-After` is obeyed up to this many seconds.
const LONGEST_WAIT: u64 = 60;

/// So many URLs that are still unavailable at a slower pace are so at any pace.
const UNAVAILABLE: u32 = 3;

/// How requests ended that were made again at a slower pace.
#[derive(Debug, Default)]
struct Retried {
    /// With 503.
    unavailable: u32,
    others: u32,
}

/// One server.
#[derive(Debug)]
pub(super) struct Server {
    pub(super) detector: OutageDetector,
    /// URLs that were refused, whose verdicts depend on whether the server is available.
    pub(super) refused: Vec<(UrlId, AttemptOutcome)>,
    /// Its `Retry-After` was obeyed.
    has_waited: bool,
    /// URLs that timed out at all attempts, while it never responded.
    hung: u32,
    /// Second attempts that timed out in a row.
    hung_again: u32,
    /// URLs in a row whose bodies did not end in time.
    dripped: u32,
    /// How requests ended that were made again because of strain.
    retried: Retried,
    pub(super) luck: Luck,
    /// There is a note that it fails at random.
    pub(super) is_noted: bool,
}

impl Server {
    pub(super) fn new(timeout: Duration) -> Server {
        Server {
            detector: OutageDetector::new(timeout),
            refused: Vec::new(),
            has_waited: false,
            hung: 0,
            hung_again: 0,
            dripped: 0,
            retried: Retried::default(),
            luck: Luck::default(),
            is_noted: false,
        }
    }

    /// Whether its `Retry-After` is to be obeyed: once.
    pub(super) fn grant_wait(&mut self) -> bool {
        !std::mem::replace(&mut self.has_waited, true)
    }

    /// Whether so many of its bodies did not end that no more are requested.
    pub(super) fn only_drips(&self) -> bool {
        self.dripped >= ONLY_DRIPS
    }

    /// Whether its bodies do not end: no more time is spent on them than necessary.
    pub(super) fn is_dripping(&self) -> bool {
        self.dripped >= DRIPPED
    }

    /// A request has ended, after this many earlier attempts. Returns whether second attempts are
    /// given up from now on.
    pub(super) fn handle_attempt(&mut self, outcome: &AttemptOutcome, attempts: u32) -> bool {
        match outcome {
            // One URL counts once, however often it is tried.
            AttemptOutcome::Failure(Failure::Timeout(Stage::Body)) => {
                self.dripped += u32::from(attempts == 0);
            }
            AttemptOutcome::Response(_) => self.dripped = 0,
            AttemptOutcome::Failure(_) => {}
        }
        if !hangs(outcome) && attempts > 0 {
            self.hung_again = 0;
        } else if hangs(outcome) && attempts == 1 {
            self.hung_again += 1;
            return self.hung_again == HUNG_AGAIN;
        }
        false
    }

    /// How many second attempts may be in flight: not more than are needed to give them up, while
    /// they time out.
    pub(super) fn second_at_once(&self) -> u32 {
        match self.hung_again {
            hung @ 1..HUNG_AGAIN => LATER_AT_ONCE.min(HUNG_AGAIN - hung),
            _ => LATER_AT_ONCE,
        }
    }

    /// A request was made again because of strain. Returns whether this shows that 503 is a matter
    /// of some URLs.
    pub(super) fn handle_retried(&mut self, outcome: &AttemptOutcome) -> bool {
        let was_matter_of_urls = self.unavailable_at_any_pace();
        match outcome.status() {
            Some(503) => self.retried.unavailable += 1,
            _ => self.retried.others += 1,
        }
        self.unavailable_at_any_pace() && !was_matter_of_urls
    }

    /// Whether some of its URLs are unavailable, at whatever pace they are requested.
    pub(super) fn unavailable_at_any_pace(&self) -> bool {
        let Retried { unavailable, others } = self.retried;
        unavailable >= UNAVAILABLE && unavailable > 2 * others
    }

    /// A URL has timed out at all attempts, and the server never responded. Returns whether the
    /// rest is given up.
    pub(super) fn handle_hung(&mut self) -> bool {
        self.hung += 1;
        self.hung >= HUNG_WITHOUT_RESPONSE
    }

    /// Whether a URL that timed out at this many attempts is not retried, because others have
    /// timed out as well.
    pub(super) fn is_hopeless(&self, attempts: u32, has_responded: bool) -> bool {
        (self.hung >= HUNG_WITHOUT_RESPONSE && !has_responded)
            || (attempts == 0 && self.hung_again >= HUNG_AGAIN)
    }
}

/// What the outcome of a request is judged by, when it comes to the pace.
#[derive(Debug, Clone, Copy)]
pub(super) struct Circumstances {
    /// Several URLs of the server have failed in a row.
    pub(super) is_troubled: bool,
    /// This URL has failed before.
    pub(super) repeats: bool,
    /// Other requests are in flight, so that a time-out is this URL's own.
    pub(super) alone: bool,
    /// See [`Server::unavailable_at_any_pace`].
    pub(super) unavailable_at_any_pace: bool,
}

/// What the outcome of a request says about the pace for its server.
pub(super) fn signal(outcome: &AttemptOutcome, took: Duration, given: Circumstances) -> Signal {
    let Circumstances { is_troubled, repeats, alone, unavailable_at_any_pace } = given;
    // A URL that fails repeatedly while others work is a problem of its own.
    let own_matter = repeats && !is_troubled;
    match outcome {
        AttemptOutcome::Response(ResponseHead { status: 429 | 503, .. }) if own_matter => {
            Signal::Neutral
        }
        AttemptOutcome::Response(ResponseHead { status: 503, .. }) if unavailable_at_any_pace => {
            Signal::Neutral
        }
        AttemptOutcome::Response(ResponseHead { status: 429, .. }) => {
            Signal::Strained(Strain::TooMany)
        }
        AttemptOutcome::Response(ResponseHead { status: 503, .. }) => {
            Signal::Strained(Strain::Unavailable)
        }
        AttemptOutcome::Response(ResponseHead { status: 500..=599, .. }) if is_troubled => {
            Signal::Strained(Strain::Failures)
        }
        AttemptOutcome::Response(_) => Signal::Answered(took),
        AttemptOutcome::Failure(Failure::Dns(_)) => Signal::Unreached,
        // A server that has begun to respond is not overloaded; that page is slow.
        AttemptOutcome::Failure(Failure::Timeout(Stage::Body)) => Signal::Neutral,
        AttemptOutcome::Failure(Failure::Timeout(_)) if alone || repeats => Signal::Neutral,
        AttemptOutcome::Failure(Failure::Timeout(_)) => Signal::Strained(Strain::Timeout),
        AttemptOutcome::Failure(Failure::Reset | Failure::Refused) if is_troubled => {
            Signal::Strained(Strain::Failures)
        }
        AttemptOutcome::Failure(_) => Signal::Neutral,
    }
}

/// The `Retry-After` of a 429 or 503 (RFC 9110 §10.2.3), if it is to be obeyed.
pub(super) fn retry_after_to_apply(outcome: &AttemptOutcome) -> Option<Duration> {
    retry_after(outcome).filter(|seconds| *seconds <= LONGEST_WAIT).map(Duration::from_secs)
}

/// Whether the `Retry-After` of a response is too long to be obeyed.
pub(in crate::crawl) fn retry_after_too_long(outcome: &AttemptOutcome) -> bool {
    retry_after(outcome).is_some_and(|seconds| seconds > LONGEST_WAIT)
}

fn retry_after(outcome: &AttemptOutcome) -> Option<u64> {
    match outcome {
        AttemptOutcome::Response(ResponseHead { status: 429 | 503, retry_after, .. }) => {
            *retry_after
        }
        _ => None,
    }
}

/// Whether an outcome is a time-out.
pub(in crate::crawl) fn hangs(outcome: &AttemptOutcome) -> bool {
    match outcome {
        AttemptOutcome::Failure(Failure::Timeout(stage)) => *stage != Stage::Body,
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::Silence)) => true,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::ResponseHead;

    #[test]
    fn second_attempts_are_given_up_when_they_hang_too() {
        let hangs = AttemptOutcome::Failure(Failure::Timeout(Stage::FirstByte));
        let responds = AttemptOutcome::Response(ResponseHead::default());
        let given_up_after = |between: &dyn Fn(&mut Server)| {
            let mut server = Server::new(Duration::from_secs(1));
            (1..100).find(|_| {
                between(&mut server);
                server.handle_attempt(&hangs, 1)
            })
        };
        assert_eq!(given_up_after(&|_| {}), Some(HUNG_AGAIN));
        // First attempts of other URLs say nothing of second ones.
        let first = given_up_after(&|server| {
            server.handle_attempt(&responds, 0);
            server.handle_attempt(&hangs, 0);
        });
        assert_eq!(first, Some(HUNG_AGAIN));
        let second = given_up_after(&|server| {
            server.handle_attempt(&responds, 1);
        });
        assert_eq!(second, None);
    }
}
