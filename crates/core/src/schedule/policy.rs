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
pub struct Rhythm {
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

impl Default for Rhythm {
    fn default() -> Rhythm {
        Rhythm {
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
pub enum Word {
    /// It is well, or has only moved.
    Sound,
    /// It fails, and may pass.
    Passing,
    /// It is broken or doubtful.
    Wrong,
}

impl Word {
    /// The word for it in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Word::Sound => "sound",
            Word::Passing => "passing",
            Word::Wrong => "wrong",
        }
    }

    /// The opposite of [`as_str`](Word::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<Word> {
        [Word::Sound, Word::Passing, Word::Wrong].into_iter().find(|word| word.as_str() == name)
    }

    /// What a verdict says in this regard; `None` for what was not asked.
    #[must_use]
    pub fn of(verdict: Verdict, cause: Option<Cause>) -> Option<Word> {
        match verdict {
            Verdict::Sound | Verdict::Moved => Some(Word::Sound),
            Verdict::Skipped => None,
            Verdict::Broken | Verdict::Doubtful => {
                let passes = cause.is_some_and(Cause::is_temporary);
                Some(if passes { Word::Passing } else { Word::Wrong })
            }
        }
    }
}

/// The checks of one address, as far as they matter for the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Checked {
    /// What they say.
    pub word: Word,
    /// On which side of the bounds it lies.
    pub scope: Scope,
    /// When it was asked last.
    pub last: Seconds,
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
pub enum Why {
    /// It fails, and that may pass.
    MayPass,
    /// It is broken or doubtful.
    IsWrong,
    /// It was asked only once.
    IsNew,
    /// It was well the last time.
    WasSound,
    /// It is waived.
    IsWaived,
}

impl Why {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Why::MayPass => "may pass",
            Why::IsWrong => "wrong",
            Why::IsNew => "new",
            Why::WasSound => "sound",
            Why::IsWaived => "waived",
        }
    }
}

/// When an address is to be asked again, and why; `None` for what is asked with each
/// crawl of its site. Always later than the last check.
#[must_use]
pub fn due(address: &str, checked: &Checked, rhythm: &Rhythm) -> Option<(Seconds, Why)> {
    let (gap, why) = gap(checked, rhythm)?;
    Some((checked.last.saturating_add(spread(address, gap).max(1)), why))
}

/// The same at a time: a check that lies in the future was noted by a clock that went
/// wrong, and says nothing of when the next is due.
#[must_use]
pub fn due_at(
    address: &str,
    checked: &Checked,
    rhythm: &Rhythm,
    now: Seconds,
) -> Option<(Seconds, Why)> {
    let due = due(address, checked, rhythm);
    if checked.last > now + LEEWAY { due.map(|(_, why)| (now, why)) } else { due }
}

fn gap(checked: &Checked, rhythm: &Rhythm) -> Option<(Seconds, Why)> {
    let Checked { word, scope, last, since, times, is_new, waived } = *checked;
    if waived && word != Word::Sound {
        return Some((rhythm.waived, Why::IsWaived));
    }
    match word {
        Word::Passing => {
            let at = (times.max(1) as usize - 1).min(rhythm.passing.len() - 1);
            Some((rhythm.passing[at], Why::MayPass))
        }
        Word::Wrong if last.saturating_sub(since) < rhythm.early => {
            Some((rhythm.broken, Why::IsWrong))
        }
        Word::Wrong => Some((rhythm.broken_later, Why::IsWrong)),
        Word::Sound if scope == Scope::Internal => None,
        Word::Sound if is_new && times <= 1 => Some((rhythm.new, Why::IsNew)),
        Word::Sound => {
            // The check after the first one of a new address shows nothing of steadiness.
            let steady = times.saturating_sub(if is_new { 2 } else { 1 });
            Some((grown(rhythm.sound, steady, rhythm.longest), Why::WasSound))
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
fn spread(address: &str, gap: Seconds) -> Seconds {
    let tenth = gap / 10;
    let steps = 2 * tenth + 1;
    let hash = (xxh3_64(address.as_bytes()) >> 1).cast_signed();
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
    wishes: impl IntoIterator<Item = (u32, Seconds)>,
    asked: impl IntoIterator<Item = (u32, Seconds)>,
    rhythm: &Rhythm,
) -> Vec<Seconds> {
    let most = rhythm.per_host_hour.max(1);
    let mut lately: HashMap<u32, VecDeque<Seconds>> = HashMap::new();
    for (host, at) in asked {
        let times = lately.entry(host).or_default();
        times.push_back(at.min(now));
        if times.len() > most {
            times.pop_front();
        }
    }
    wishes
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
