//! Which URLs of a site are due, and when.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::findings::selection::host_of;
use rummage_core::schedule::policy::{RecheckPolicy, due_at, share};
use rummage_core::url::scope::Scope;
use rummage_store::{OpenRun, Reader, StoreError, StoredUrl};
use rummage_view::{Plan, Planned};

/// The URLs to recheck, in order of time.
pub(crate) fn plan(
    reader: &Reader,
    run: &OpenRun<'_>,
    policy: &RecheckPolicy,
    now: Timestamp,
) -> Result<Plan, StoreError> {
    let waived: HashSet<StoredUrl> =
        run.waived_targets()?.into_iter().map(|(url, _)| url).collect();
    let mut hosts = Hosts::default();
    let mut planned: Vec<Planned> = Vec::new();
    // Older checks do not count against the coming hour's limit.
    let lately = now.as_second() - HOUR;
    let mut checked_lately: Vec<(u32, Seconds)> = Vec::new();
    reader.for_each_check(&run.info().site, |check, url| {
        if !check.linked {
            return;
        }
        let mut checked = check.checked;
        checked.waived = waived.contains(&check.url);
        let due = due_at(url, &checked, policy, now.as_second());
        if due.is_none() && checked.checked_at <= lately {
            return;
        }
        let host = hosts.number(host_of(url), checked.scope == Scope::External);
        if checked.checked_at > lately {
            checked_lately.push((host, checked.checked_at));
        }
        if let Some((at, reason)) = due {
            hosts.count(host_of(url));
            let (url, checked_at, times) = (check.url, checked.checked_at, checked.times);
            planned.push(Planned { url, host, due: at, at, reason, checked_at, times });
        }
    })?;
    planned.sort_unstable_by_key(|planned| (planned.due, planned.url));
    checked_lately.sort_unstable_by_key(|(_, at)| *at);
    let requests = planned.iter().map(|planned| (planned.host, planned.due));
    let times = share(now.as_second(), requests, checked_lately, policy);
    for (planned, at) in planned.iter_mut().zip(times) {
        planned.at = at;
    }
    planned.sort_unstable_by_key(|planned| (planned.at, planned.due, planned.url));
    Ok(Plan { planned, hosts: hosts.counts.into_iter().collect() })
}

const HOUR: Seconds = 3600;

/// Hosts by number. The hourly limit is per external host; each internal URL gets a number of its
/// own.
#[derive(Default)]
struct Hosts {
    known: HashMap<String, u32>,
    next: u32,
    counts: HashMap<String, u64>,
}

impl Hosts {
    fn count(&mut self, host: &str) {
        match self.counts.get_mut(host) {
            Some(count) => *count += 1,
            None => drop(self.counts.insert(host.to_owned(), 1)),
        }
    }

    fn number(&mut self, host: &str, external: bool) -> u32 {
        if external && let Some(number) = self.known.get(host) {
            return *number;
        }
        self.next += 1;
        if external {
            self.known.insert(host.to_owned(), self.next);
        }
        self.next
    }
}

/// The URLs that are due by then.
pub(crate) fn due_by(plan: &Plan, now: Timestamp) -> Vec<StoredUrl> {
    let due = plan.planned.iter().filter(|planned| planned.at <= now.as_second());
    due.map(|planned| planned.url).collect()
}
