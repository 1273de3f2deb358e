//! What a patrol does next: which site, which pass, or until when it waits.
//!
//! It follows from when each site was asked last, from what is due, and from what holds
//! everything up: hours in which nothing is asked, a budget that is spent. Times are
//! seconds since 1970-01-01 UTC by the clock on the wall, which may jump: a past that
//! lies in the future was told by a clock that went wrong, and counts as long ago.

use std::collections::VecDeque;

use crate::Seconds;
use crate::schedule::policy::LEEWAY;

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;

/// Between two rechecks of a site, so that what falls due together is asked together.
pub const PAUSE: Seconds = 10 * MINUTE;

/// The longest wait after tries in vain.
const LONGEST: Seconds = 6 * HOUR;

/// A site, as far as it matters for what is next.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SiteState {
    /// How long after a crawl began the next one does.
    pub every: Seconds,
    /// When the last crawl began.
    pub crawled: Option<Seconds>,
    /// When the last pass of any kind began.
    pub passed: Option<Seconds>,
    /// That pass was stopped, and can go on.
    pub unfinished: bool,
    /// When the next of its addresses is due.
    pub due: Option<Seconds>,
    /// Since the last pass: when it was tried in vain, and how often in a row.
    pub failed: Option<(Seconds, u32)>,
    /// Nothing of it is asked before then: its hours or its budget forbid it.
    pub held: Option<Seconds>,
}

/// A pass over a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Task {
    /// Go on with the one that was stopped.
    GoOn,
    /// All of the site.
    Crawl,
    /// What is due.
    Recheck,
}

impl Task {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Task::GoOn => "resume",
            Task::Crawl => "crawl",
            Task::Recheck => "recheck",
        }
    }
}

/// What is next of a site: when, and what.
#[must_use]
pub fn next(site: &SiteState, now: Seconds) -> (Seconds, Task) {
    let past = |at: Seconds| if at > now + LEEWAY { Seconds::MIN } else { at };
    let crawl = site.crawled.map_or(Seconds::MIN, |at| past(at).saturating_add(site.every));
    let recheck = site.due.map(|due| match site.passed {
        // What is due was found by that clock too.
        Some(at) if past(at) == Seconds::MIN => Seconds::MIN,
        Some(at) => due.max(at.saturating_add(PAUSE)),
        None => due,
    });
    let (at, task) = match recheck {
        _ if site.unfinished => (Seconds::MIN, Task::GoOn),
        // A crawl asks what is due as well.
        Some(recheck) if recheck < crawl => (recheck, Task::Recheck),
        _ => (crawl, Task::Crawl),
    };
    let again = site
        .failed
        .filter(|(at, _)| *at <= now + LEEWAY)
        .map_or(Seconds::MIN, |(at, times)| at.saturating_add(after(times)));
    (at.max(again).max(site.held.unwrap_or(Seconds::MIN)), task)
}

/// The site that comes first, when, and what is to be done; `None` where there are no
/// sites.
#[must_use]
pub fn first(sites: &[SiteState], now: Seconds) -> Option<(usize, Seconds, Task)> {
    let each = sites.iter().enumerate().map(|(at, site)| {
        let (when, task) = next(site, now);
        (at, when, task)
    });
    // Of two that are ready, what is half done goes first: it holds nothing up for long.
    each.min_by_key(|(at, when, task)| ((*when).max(now), *task != Task::GoOn, *when, *at))
}

/// How long to wait after so many tries in vain: twice as long each time.
fn after(times: u32) -> Seconds {
    let doubled = times.saturating_sub(1).min(16);
    (PAUSE / 2).saturating_mul(1 << doubled).min(LONGEST)
}

/// How many requests may be made in an hour.
#[derive(Debug, Clone)]
pub struct Budget {
    most: u64,
    spent: VecDeque<(Seconds, u64)>,
}

impl Budget {
    /// At most so many in any hour.
    #[must_use]
    pub fn per_hour(most: u64) -> Budget {
        Budget { most, spent: VecDeque::new() }
    }

    /// So many were made by now.
    pub fn spend(&mut self, now: Seconds, requests: u64) {
        if requests > 0 {
            self.spent.push_back((now, requests));
        }
    }

    /// How many may be made now.
    #[must_use]
    pub fn left(&mut self, now: Seconds) -> u64 {
        // What a clock that went wrong has noted counts for an hour from now at most.
        self.spent.retain_mut(|(at, _)| {
            *at = (*at).min(now);
            *at > now - HOUR
        });
        let spent = self.spent.iter().map(|(_, requests)| requests).sum();
        self.most.saturating_sub(spent)
    }

    /// When some may be made again; now, where some are left.
    #[must_use]
    pub fn free_at(&mut self, now: Seconds) -> Seconds {
        if self.left(now) > 0 {
            return now;
        }
        let mut left = 0;
        let spent: u64 = self.spent.iter().map(|(_, requests)| requests).sum();
        for (at, requests) in &self.spent {
            left += requests;
            if spent - left < self.most {
                return at + HOUR;
            }
        }
        now
    }
}

#[cfg(test)]
mod month;
#[cfg(test)]
mod tests;
