//! What a patrol does next: which job on which site, or how long it waits.
//!
//! This follows from when each site was last checked, from what is due, and from what delays it:
//! quiet hours, a spent budget. Times are wall-clock seconds since 1970-01-01 UTC. The clock may
//! jump: a past event that lies in the future was recorded by a wrong clock, and counts as long
//! ago.

use std::collections::VecDeque;

use crate::Seconds;
use crate::schedule::policy::LEEWAY;

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;

/// Minimum time between two rechecks of a site, so that URLs due at about the same time are
/// checked together.
pub const PAUSE: Seconds = 10 * MINUTE;

/// The longest wait after failed attempts.
const LONGEST: Seconds = 6 * HOUR;

/// What decides when a site is next.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SiteState {
    /// Time from the start of one crawl to the start of the next.
    pub every: Seconds,
    /// When the last crawl started.
    pub crawled: Option<Seconds>,
    /// When the last job of any kind started.
    pub passed: Option<Seconds>,
    /// That job was stopped, and can be continued.
    pub unfinished: bool,
    /// When the next of its URLs is due.
    pub due: Option<Seconds>,
    /// Failed attempts since the last job: the time of the last one, and how many in a row.
    pub failed: Option<(Seconds, u32)>,
    /// No requests before then, because of quiet hours or the budget.
    pub held: Option<Seconds>,
}

/// A job on a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Task {
    /// Continues the job that was stopped.
    Continue,
    /// Checks the whole site.
    Crawl,
    /// Checks what is due.
    Recheck,
}

impl Task {
    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Task::Continue => "resume",
            Task::Crawl => "crawl",
            Task::Recheck => "recheck",
        }
    }
}

/// The next job on a site, and its time.
#[must_use]
pub fn next(site: &SiteState, now: Seconds) -> (Seconds, Task) {
    let past = |at: Seconds| if at > now + LEEWAY { Seconds::MIN } else { at };
    let crawl = site.crawled.map_or(Seconds::MIN, |at| past(at).saturating_add(site.every));
    let recheck = site.due.map(|due| match site.passed {
        // The due time was computed with that clock too.
        Some(at) if past(at) == Seconds::MIN => Seconds::MIN,
        Some(at) => due.max(at.saturating_add(PAUSE)),
        None => due,
    });
    let (at, task) = match recheck {
        _ if site.unfinished => (Seconds::MIN, Task::Continue),
        // A crawl also checks what is due.
        Some(recheck) if recheck < crawl => (recheck, Task::Recheck),
        _ => (crawl, Task::Crawl),
    };
    let again = site
        .failed
        .filter(|(at, _)| *at <= now + LEEWAY)
        .map_or(Seconds::MIN, |(at, times)| at.saturating_add(after(times)));
    (at.max(again).max(site.held.unwrap_or(Seconds::MIN)), task)
}

/// The site that is next, the time and the job; `None` if there are no sites.
#[must_use]
pub fn first(sites: &[SiteState], now: Seconds) -> Option<(usize, Seconds, Task)> {
    let each = sites.iter().enumerate().map(|(at, site)| {
        let (when, task) = next(site, now);
        (at, when, task)
    });
    // Of two jobs that are ready, a continued one goes first: it does not take long.
    each.min_by_key(|(at, when, task)| ((*when).max(now), *task != Task::Continue, *when, *at))
}

/// How long to wait after this many failed attempts: twice as long each time.
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
    /// At most this many in any hour.
    #[must_use]
    pub fn per_hour(most: u64) -> Budget {
        Budget { most, spent: VecDeque::new() }
    }

    /// Records requests made up to now.
    pub fn spend(&mut self, now: Seconds, requests: u64) {
        if requests > 0 {
            self.spent.push_back((now, requests));
        }
    }

    /// How many requests may be made now.
    #[must_use]
    pub fn left(&mut self, now: Seconds) -> u64 {
        // Requests recorded by a wrong clock count for an hour from now at most.
        self.spent.retain_mut(|(at, _)| {
            *at = (*at).min(now);
            *at > now - HOUR
        });
        let spent = self.spent.iter().map(|(_, requests)| requests).sum();
        self.most.saturating_sub(spent)
    }

    /// When some requests may be made again; `now` if some are left.
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
