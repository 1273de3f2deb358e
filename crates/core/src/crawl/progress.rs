//! How far a crawl is.

use std::time::Duration;

/// The progress of a crawl.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Progress {
    /// URLs with a verdict that were requested.
    pub done: u64,
    /// URLs that were or will be requested, as far as is known now.
    pub known: u64,
    /// Requests in flight.
    pub in_flight: u64,
    /// Broken targets.
    pub broken: u64,
    /// Targets that were missing at first, and will be requested again.
    pub to_confirm: u64,
    /// Internal pages that were parsed.
    pub pages: u64,
}

/// The progress of a crawl, and what it waits for.
#[derive(Debug, Clone, Copy)]
pub struct Tick<'a> {
    /// The progress.
    pub progress: Progress,
    /// The requests that have been in flight longest, the longest first.
    pub slowest: &'a [(Duration, &'a str)],
    /// The only server that still has URLs to request, and how many, if there is just one.
    pub last_server: Option<(&'a str, u64)>,
    /// The time to the next request, while none is in flight.
    pub pause: Option<Duration>,
}
