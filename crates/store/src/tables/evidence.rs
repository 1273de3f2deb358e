//! The requests of a run by URL: their times and outcomes.

use std::collections::HashMap;
use std::time::Duration;

use rummage_core::Moment;
use rummage_core::evidence::{Attempt, Method, Purpose};
use rusqlite::Connection;

use crate::codec::entries::Requested;
use crate::db::error::StoreError;
use crate::tables::outcomes;
use crate::tables::request_log::for_each_entry;

/// The requests of a run, those for a URL together and in order.
#[derive(Debug)]
pub(crate) struct Evidence {
    requests: Vec<Request>,
    /// Redirect hops that were requested instead of the URL itself, by URL and time.
    hops: HashMap<(u32, u64), String>,
}

/// One request in twenty-four bytes.
#[derive(Debug, Clone, Copy)]
struct Request {
    url: u32,
    /// The halves of the time, so that there is no padding between the fields.
    at: [u32; 2],
    outcome: u32,
    /// At most an hour.
    took_us: u32,
    method: Method,
    strained: bool,
    purpose: Purpose,
}

impl Request {
    fn at_us(&self) -> u64 {
        u64::from(self.at[0]) << 32 | u64::from(self.at[1])
    }
}

impl Evidence {
    /// The requests for the URLs that are `wanted`.
    pub(crate) fn of_run(
        db: &Connection,
        run: i64,
        wanted: impl Fn(u32) -> bool,
    ) -> Result<Evidence, StoreError> {
        // Counted first: a vector that grows exists twice for a moment.
        let mut count = 0;
        for_each_entry(db, run, |entry| {
            count += usize::from(entry.request.is_some() && wanted(entry.url));
        })?;
        let mut evidence = Evidence { requests: Vec::with_capacity(count), hops: HashMap::new() };
        for_each_entry(db, run, |entry| {
            if let Some(request) = entry.request.filter(|_| wanted(entry.url)) {
                evidence.add(entry.url, request);
            }
        })?;
        evidence.requests.sort_unstable_by_key(|request| (request.url, request.at));
        Ok(evidence)
    }

    #[expect(clippy::cast_possible_truncation, reason = "the two halves")]
    fn add(&mut self, url: u32, request: Requested) {
        if let Some(hop) = request.hop {
            self.hops.insert((url, request.at_us), hop);
        }
        self.requests.push(Request {
            url,
            at: [(request.at_us >> 32) as u32, request.at_us as u32],
            outcome: request.outcome,
            took_us: u32::try_from(request.took_us).unwrap_or(u32::MAX),
            method: request.method,
            strained: request.strained,
            purpose: request.purpose,
        });
    }

    fn of(&self, url: u32) -> &[Request] {
        let from = self.requests.partition_point(|request| request.url < url);
        let to = self.requests.partition_point(|request| request.url <= url);
        &self.requests[from..to]
    }

    /// When a URL was last requested.
    pub(crate) fn last_at(&self, url: u32) -> Option<u64> {
        self.of(url).last().map(|request| request.at_us())
    }

    /// How many requests a URL took for its verdict, and how long the last of them took.
    pub(crate) fn effort(&self, url: u32) -> (u64, Option<Duration>) {
        let mut of_verdict = self.of(url).iter().filter(|request| !request.purpose.is_side());
        let took = |request: &Request| Duration::from_micros(u64::from(request.took_us));
        (of_verdict.clone().count() as u64, of_verdict.next_back().map(took))
    }

    /// The evidence of each request for a URL, and the last title.
    pub(crate) fn attempts(
        &self,
        db: &Connection,
        url: u32,
    ) -> Result<(Vec<Attempt>, Option<String>), StoreError> {
        let mut attempts = Vec::new();
        let mut seen = None;
        for request in self.of(url) {
            let (outcome, title) = outcomes::read(db, request.outcome)?;
            seen = title.or(seen);
            attempts.push(Attempt {
                at: Moment::from_micros(request.at_us()),
                took: Duration::from_micros(u64::from(request.took_us)),
                method: request.method,
                outcome,
                strained: request.strained,
                purpose: request.purpose,
                hop: self.hops.get(&(url, request.at_us())).cloned(),
            });
        }
        Ok((attempts, seen))
    }
}
