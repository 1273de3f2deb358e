//! When a URL is rechecked.
//!
//! This follows from the results of earlier checks and from the settings. Times are seconds since
//! 1970-01-01 UTC; nothing here reads a clock.

use std::collections::{HashMap, VecDeque};

use xxhash_rust::xxh3::xxh3_64;

use crate::Seconds;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;
const DAY: Seconds = 24 * HOUR;

/// The tolerance for clocks of one machine.
pub(crate) const LEEWAY: Seconds = 5 * MINUTE;

/// How often URLs are rechecked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecheckPolicy {
    /// A working external URL.
    pub sound: Seconds,
    /// An external URL that was checked only once.
    pub new: Seconds,
    /// A temporary failure: the first, second and third time, and from then on.
    pub passing: [Seconds; 4],
    /// A broken URL, at first.
    pub broken: Seconds,
    /// How long "at first" is.
    pub early: Seconds,
    /// A broken URL, later.
    pub broken_later: Seconds,
    /// A waived URL.
    pub waived: Seconds,
    /// The longest interval between two checks of a working URL.
    pub longest: Seconds,
    /// How many URLs of an external host are checked per hour at most.
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

/// The result of the last checks of a URL, as far as it matters for the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum LastOutcome {
    /// It works, or has only moved.
    Sound,
    /// It fails, perhaps temporarily.
    Temporary,
    /// It is broken or doubtful.
    Wrong,
}

impl LastOutcome {
    /// Its name in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            LastOutcome::Sound => "sound",
            LastOutcome::Temporary => "passing",
            LastOutcome::Wrong => "wrong",
        }
    }

    /// The opposite of [`as_str`](LastOutcome::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<LastOutcome> {
        [LastOutcome::Sound, LastOutcome::Temporary, LastOutcome::Wrong]
            .into_iter()
            .find(|last| last.as_str() == name)
    }

    /// The result for a verdict; `None` if it was not checked.
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

/// The checks of one URL, as far as they matter for the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Checked {
    /// Their result.
    pub last: LastOutcome,
    /// The scope of the URL.
    pub scope: Scope,
    /// When it was last checked.
    pub checked_at: Seconds,
    /// When a check first had this result, with no other result since.
    pub since: Seconds,
    /// How many checks in a row have had this result; at least 1.
    pub times: u32,
    /// It was never checked before those.
    pub is_new: bool,
    /// All findings of it are waived.
    pub waived: bool,
}

/// Why a URL is due when it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum DueReason {
    /// It fails, perhaps temporarily.
    Temporary,
    /// It is broken or doubtful.
    Wrong,
    /// It was checked only once.
    New,
    /// It worked the last time.
    Sound,
    /// It is waived.
    Waived,
}

impl DueReason {
    /// Its name in every output.
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

/// When a URL is to be rechecked, and why; `None` if it is checked with each crawl of its site.
/// Always later than the last check.
///
/// ```
/// use rummage_core::schedule::policy::{Checked, DueReason, LastOutcome, RecheckPolicy, due};
/// use rummage_core::url::scope::Scope;
///
/// let checked = Checked {
///     last: LastOutcome::Wrong,
///     scope: Scope::External,
///     checked_at: 1_800_000_000,
///     since: 1_800_000_000,
///     times: 1,
///     is_new: false,
///     waived: false,
/// };
/// let (at, reason) = due("http://b.test/lost", &checked, &RecheckPolicy::default()).unwrap();
/// assert_eq!(reason, DueReason::Wrong);
/// let hours = (at - checked.checked_at) as f64 / 3600.0;
/// assert!((21.6..=26.4).contains(&hours), "a day, up to a tenth earlier or later");
/// ```
#[must_use]
pub fn due(url: &str, checked: &Checked, policy: &RecheckPolicy) -> Option<(Seconds, DueReason)> {
    let (gap, reason) = gap(checked, policy)?;
    Some((checked.checked_at.saturating_add(spread(url, gap).max(1)), reason))
}

/// The same as of `now`: a check that lies in the future was recorded by a wrong clock, and says
/// nothing about when the next is due.
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
            // The second check of a new URL says nothing about how stable it is.
            let steady = times.saturating_sub(if is_new { 2 } else { 1 });
            Some((grown(policy.sound, steady, policy.longest), DueReason::Sound))
        }
    }
}

/// Half as long again each time, up to the longest interval.
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

/// Up to a tenth earlier or later, depending on the URL, so that URLs found together are not
/// checked together forever.
fn spread(url: &str, gap: Seconds) -> Seconds {
    let tenth = gap / 10;
    let steps = 2 * tenth + 1;
    let hash = (xxh3_64(url.as_bytes()) >> 1).cast_signed();
    gap - tenth + hash % steps
}

/// Assigns times to the URLs of each host within its hourly limit, in the order of the requests.
///
/// A request is a host, by number, and the time at which a URL is due; they come in order of that
/// time. No URL is checked before it is due or before `now`, no host gets more checks in any hour
/// than the policy allows, and the order is first come, first served, so that every URL gets its
/// turn. `checked` has the times of recent checks, in order; those in the future count as now.
#[must_use]
pub fn share(
    now: Seconds,
    requests: impl IntoIterator<Item = (u32, Seconds)>,
    checked: impl IntoIterator<Item = (u32, Seconds)>,
    policy: &RecheckPolicy,
) -> Vec<Seconds> {
    let most = policy.per_host_hour.max(1);
    let mut lately: HashMap<u32, VecDeque<Seconds>> = HashMap::new();
    for (host, at) in checked {
        let times = lately.entry(host).or_default();
        times.push_back(at.min(now));
        if times.len() > most {
            times.pop_front();
        }
    }
    requests
        .into_iter()
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
