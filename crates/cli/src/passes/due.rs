//! What of a site is due, and when.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::findings::selection::host_of;
use rummage_core::schedule::policy::{Rhythm, due_at, share};
use rummage_core::url::scope::Scope;
use rummage_store::{Address, OpenRun, Reader, StoreError};
use rummage_view::{Plan, Planned};

/// What is to be asked again, in the order of its time.
pub(crate) fn plan(
    reader: &Reader,
    run: &OpenRun<'_>,
    rhythm: &Rhythm,
    now: Timestamp,
) -> Result<Plan, StoreError> {
    let waived: HashSet<Address> =
        run.waived_targets()?.into_iter().map(|(address, _)| address).collect();
    let mut hosts = Hosts::default();
    let mut planned: Vec<Planned> = Vec::new();
    // What was asked longer ago takes no room from the hour that comes.
    let lately = now.as_second() - HOUR;
    let mut asked: Vec<(u32, Seconds)> = Vec::new();
    reader.for_each_check(&run.info().site, |check, url| {
        if !check.linked {
            return;
        }
        let mut checked = check.checked;
        checked.waived = waived.contains(&check.address);
        let due = due_at(url, &checked, rhythm, now.as_second());
        if due.is_none() && checked.last <= lately {
            return;
        }
        let host = hosts.number(host_of(url), checked.scope == Scope::External);
        if checked.last > lately {
            asked.push((host, checked.last));
        }
        if let Some((at, why)) = due {
            hosts.count(host_of(url));
            let (address, last, times) = (check.address, checked.last, checked.times);
            planned.push(Planned { address, host, due: at, at, why, last, times });
        }
    })?;
    planned.sort_unstable_by_key(|planned| (planned.due, planned.address));
    asked.sort_unstable_by_key(|(_, at)| *at);
    let wishes = planned.iter().map(|planned| (planned.host, planned.due));
    let times = share(now.as_second(), wishes, asked, rhythm);
    for (planned, at) in planned.iter_mut().zip(times) {
        planned.at = at;
    }
    planned.sort_unstable_by_key(|planned| (planned.at, planned.due, planned.address));
    Ok(Plan { planned, hosts: hosts.counts.into_iter().collect() })
}

const HOUR: Seconds = 3600;

/// Hosts by number. Hours are shared among the addresses of a host of others; each of
/// the site's own addresses stands for itself.
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

/// What is due by then.
pub(crate) fn due_by(plan: &Plan, now: Timestamp) -> Vec<Address> {
    let due = plan.planned.iter().filter(|planned| planned.at <= now.as_second());
    due.map(|planned| planned.address).collect()
}
