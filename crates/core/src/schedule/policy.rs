//! When an address is to be asked again.
//!
//! All of it follows from what was seen and from the settings. Times are seconds since
//! 1970-01-01 UTC; nothing here looks at a clock.

use std::collections::{HashMap, VecDeque};

use xxhash_rust::xxh3::xxh3_64;

use crate::Seconds;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;
const DAY: Seconds = 24 * HOUR;

/// Clocks of one machine agree so well.
pub(crate) const LEEWAY: Seconds = 5 * MINUTE;

/// How often is asked again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecheckPolicy {
    /// A sound address of others.
    pub sound: Seconds,
    /// An address that was asked only once.
    pub new: Seconds,
    /// What may pass: the first, second, third time, and ever after.
    pub passing: [Seconds; 4],
    /// What is broken, at first.
    pub broken: Seconds,
    /// For how long that is.
    pub early: Seconds,
    /// What is broken, later.
    pub broken_later: Seconds,
    /// What is waived.
    pub waived: Seconds,
    /// However steady an address is, it is asked so often.
    pub longest: Seconds,
    /// Addresses of a host of others that are asked in an hour, at most.
    pub per_host_hour: usize,
}

impl Default for RecheckPolicy {
    fn default() -> RecheckPolicy {
        RecheckPolicy {
            sound: 7 * DAY,
            new: DAY,
            passing: [30 * MINUTE, 2 * HOUR, 12 * HOUR, DAY],
            broken: DAY,
            early: 30 * DAY,
            broken_later: 7 * DAY,
            waived: 30 * DAY,
            longest: 28 * DAY,
            per_host_hour: 60,
        }
    }
}

/// What the last checks said of an address, as far as it matters for the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum LastOutcome {
    /// It is well, or has only moved.
    Sound,
    /// It fails, and may pass.
    Temporary,
    /// It is broken or doubtful.
    Wrong,
}

impl LastOutcome {
    /// The word for it in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            LastOutcome::Sound => "sound",
            LastOutcome::Temporary => "passing",
            LastOutcome::Wrong => "wrong",
        }
    }

    /// The opposite of [`as_str`](Word::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<LastOutcome> {
        [LastOutcome::Sound, LastOutcome::Temporary, LastOutcome::Wrong]
            .into_iter()
            .find(|last| last.as_str() == name)
    }

    /// What a verdict says in this regard; `None` for what was not asked.
    #[must_use]
    pub fn of(verdict: Verdict, cause: Option<Cause>) -> Option<LastOutcome> {
        match verdict {
            Verdict::Sound | Verdict::Moved => Some(LastOutcome::Sound),
            Verdict::Skipped => None,
            Verdict::Broken | Verdict::Doubtful => {
                let passes = cause.is_some_and(Cause::is_temporary);
                Some(if passes { LastOutcome::Temporary } else { LastOutcome::Wrong })
            }
        }
    }
}

/// The checks of one address, as far as they matter for the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Checked {
    /// What they say.
    pub last: LastOutcome,
    /// On which side of the bounds it lies.
    pub scope: Scope,
    /// When it was asked last.
    pub checked_at: Seconds,
    /// When a check said this for the first time without another word since.
    pub since: Seconds,
    /// How many checks have said this without another word between them; at least 1.
    pub times: u32,
    /// It was never asked before those.
    pub is_new: bool,
    /// All findings of it are waived.
    pub waived: bool,
}

/// Why an address is due when it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum DueReason {
    /// It fails, and that may pass.
    Temporary,
    /// It is broken or doubtful.
    Wrong,
    /// It was asked only once.
    New,
    /// It was well the last time.
    Sound,
    /// It is waived.
    Waived,
}

impl DueReason {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            DueReason::Temporary => "temporary",
            DueReason::Wrong => "wrong",
            DueReason::New => "new",
            DueReason::Sound => "sound",
            DueReason::Waived => "waived",
        }
    }
}

/// When an address is to be asked again, and why; `None` for what is asked with each
/// crawl of its site. Always later than the last check.
#[must_use]
pub fn due(url: &str, checked: &Checked, policy: &RecheckPolicy) -> Option<(Seconds, DueReason)> {
    let (gap, reason) = gap(checked, policy)?;
    Some((checked.checked_at.saturating_add(spread(url, gap).max(1)), reason))
}

/// The same at a time: a check that lies in the future was noted by a clock that went
/// wrong, and says nothing of when the next is due.
#[must_use]
pub fn due_at(
    url: &str,
    checked: &Checked,
    policy: &RecheckPolicy,
    now: Seconds,
) -> Option<(Seconds, DueReason)> {
    let due = due(url, checked, policy);
    if checked.checked_at > now + LEEWAY { due.map(|(_, reason)| (now, reason)) } else { due }
}

fn gap(checked: &Checked, policy: &RecheckPolicy) -> Option<(Seconds, DueReason)> {
    let Checked { last, scope, checked_at, since, times, is_new, waived } = *checked;
    if waived && last != LastOutcome::Sound {
        return Some((policy.waived, DueReason::Waived));
    }
    match last {
        LastOutcome::Temporary => {
            let at = (times.max(1) as usize - 1).min(policy.passing.len() - 1);
            Some((policy.passing[at], DueReason::Temporary))
        }
        LastOutcome::Wrong if checked_at.saturating_sub(since) < policy.early => {
            Some((policy.broken, DueReason::Wrong))
        }
        LastOutcome::Wrong => Some((policy.broken_later, DueReason::Wrong)),
        LastOutcome::Sound if scope == Scope::Internal => None,
        LastOutcome::Sound if is_new && times <= 1 => Some((policy.new, DueReason::New)),
        LastOutcome::Sound => {
            // The check after the first one of a new address shows nothing of steadiness.
            let steady = times.saturating_sub(if is_new { 2 } else { 1 });
            Some((grown(policy.sound, steady, policy.longest), DueReason::Sound))
        }
    }
}

/// Half as long again for each time, up to the longest.
fn grown(first: Seconds, times: u32, longest: Seconds) -> Seconds {
    let mut gap = first;
    for _ in 0..times {
        if gap >= longest {
            break;
        }
        gap = gap.saturating_add(gap / 2);
    }
    gap.min(longest.max(first))
}

/// A tenth earlier or later, as the address has it: what was found together is not asked
/// together for ever.
fn spread(url: &str, gap: Seconds) -> Seconds {
    let tenth = gap / 10;
    let steps = 2 * tenth + 1;
    let hash = (xxh3_64(url.as_bytes()) >> 1).cast_signed();
    gap - tenth + hash % steps
}

/// Shares the hours out among the addresses of each host: gives each wish its time, in
/// the order of the wishes.
///
/// A wish is a host, by number, and the time at which the address is due; they come in
/// the order in which they are due. Nobody is asked before it is due or before `now`, of
/// each host no more in any hour than the rhythm allows, and who came first goes first:
/// nobody waits for ever. `asked` has the times at which hosts were asked lately, in
/// order; those that lie in the future count as now.
#[must_use]
pub fn share(
    now: Seconds,
    uses: impl IntoIterator<Item = (u32, Seconds)>,
    asked: impl IntoIterator<Item = (u32, Seconds)>,
    policy: &RecheckPolicy,
) -> Vec<Seconds> {
    let most = policy.per_host_hour.max(1);
    let mut lately: HashMap<u32, VecDeque<Seconds>> = HashMap::new();
    for (host, at) in asked {
        let times = lately.entry(host).or_default();
        times.push_back(at.min(now));
        if times.len() > most {
            times.pop_front();
        }
    }
    uses.into_iter()
        .map(|(host, due)| {
            let times = lately.entry(host).or_default();
            let mut at = due.max(now);
            if let Some(last) = times.back() {
                at = at.max(*last);
            }
            if times.len() >= most {
                let first = times.pop_front().expect("there are some");
                at = at.max(first.saturating_add(HOUR));
            }
            times.push_back(at);
            at
        })
        .collect()
}

#[cfg(test)]
mod tests;
