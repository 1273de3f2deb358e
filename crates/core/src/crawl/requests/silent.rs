//! Requests to external servers that take long.
//!
//! Most of them hang and will time out. They cost hardly more than a connection: so they leave
//! their slots to others, up to a limit.

use std::collections::VecDeque;
use std::time::Duration;

use crate::Moment;
use crate::crawl::messages::RequestId;

/// How many requests may leave their slots.
const MOST: usize = 64;

#[derive(Debug)]
pub(super) struct SilentRequests {
    silence: Duration,
    most: usize,
    /// Oldest first.
    in_flight: VecDeque<(RequestId, Moment)>,
}

impl SilentRequests {
    /// Requests are silent after this time. No more leave their slots than there are slots.
    pub(super) fn new(silence: Duration, concurrency: u32) -> SilentRequests {
        let most = MOST.min(concurrency as usize);
        SilentRequests { silence, most, in_flight: VecDeque::new() }
    }

    pub(super) fn handle_started(&mut self, now: Moment, request: RequestId) {
        self.in_flight.push_back((request, now));
    }

    pub(super) fn handle_ended(&mut self, request: RequestId) {
        self.in_flight.retain(|(in_flight, _)| *in_flight != request);
    }

    /// How many have left their slots.
    pub(super) fn count(&self, now: Moment) -> u32 {
        let before = now.before(self.silence);
        let silent = self.in_flight.iter().take(self.most);
        u32::try_from(silent.take_while(|(_, since)| *since < before).count()).unwrap_or(u32::MAX)
    }

    /// When the next one leaves its slot.
    pub(super) fn next(&self, now: Moment) -> Option<Moment> {
        let before = now.before(self.silence);
        let mut candidates = self.in_flight.iter().take(self.most);
        let next = candidates.find(|(_, since)| *since >= before);
        next.map(|(_, since)| *since + self.silence + Duration::from_micros(1))
    }
}
