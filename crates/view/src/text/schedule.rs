//! The schedule: how much is due per day, then URL by URL.

use std::collections::BTreeMap;
use std::io::Write;

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::schedule::policy::DueReason;
use rummage_store::{OpenRun, StoredUrl};

use super::blocks::LONGEST;
use crate::ViewError;
use crate::number::{count, counted, rest, rest_of};
use crate::phrase::cause_of_outcome;
use crate::safe::{safe, shorten};
use crate::style::{FAINT, STRONG};
use crate::when::{day, when};

/// How many URLs are shown by default.
const SHOWN: usize = 20;
/// How many days and hosts are shown.
const DAYS: usize = 10;
const HOSTS: usize = 5;
/// The length of the longest bar.
const BAR: u64 = 40;

/// A URL that will be rechecked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Planned {
    /// The URL.
    pub url: StoredUrl,
    /// Its host, by number; each internal URL has a number of its own.
    pub host: u32,
    /// When it is due, in seconds since 1970.
    pub due: Seconds,
    /// When it will be rechecked: later than due if its host has reached the hourly limit.
    pub at: Seconds,
    /// Why it is due then.
    pub reason: DueReason,
    /// When it was last checked.
    pub checked_at: Seconds,
    /// How many checks in a row have had the last result.
    pub times: u32,
}

/// The URLs that will be rechecked.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Plan {
    /// The URLs, in order of time.
    pub planned: Vec<Planned>,
    /// How many of them each host has.
    pub hosts: Vec<(String, u64)>,
}

/// Writes a schedule as of some time.
///
/// # Errors
/// See [`ViewError`].
pub fn schedule(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    plan: &Plan,
    now: Timestamp,
    limit: Option<usize>,
) -> Result<(), ViewError> {
    let planned = plan.planned.as_slice();
    let title = run.info().title.as_deref().unwrap_or_default();
    write!(out, "{STRONG}{}{STRONG:#}  {}", safe(&shorten(title, 60)), safe(&run.info().site))?;
    writeln!(out, "  {FAINT}as of {}{FAINT:#}", when(now))?;
    let due = planned.iter().filter(|planned| planned.at <= now.as_second()).count() as u64;
    let all = counted(planned.len() as u64, "URL", "URLs");
    writeln!(out, "{all} scheduled, {} due now", count(due))?;
    if planned.is_empty() {
        writeln!(out, "Working pages of the site are checked with each crawl: rummage crawl")?;
        return Ok(());
    }
    days(out, planned.iter().map(|one| (one.at, one.reason)))?;
    hosts(out, &plan.hosts)?;
    writeln!(out)?;
    for one in planned.iter().take(limit.unwrap_or(SHOWN)) {
        write_planned(out, run, one)?;
    }
    if let Some(rest) = rest(planned.len() as u64, limit.unwrap_or(SHOWN)) {
        writeln!(out, "{FAINT}{rest}: --limit{FAINT:#}")?;
    }
    if due > 0 {
        writeln!(out, "\nrummage recheck --due checks what is due.")?;
    }
    Ok(())
}

fn at(seconds: Seconds) -> Timestamp {
    Timestamp::from_second(seconds).unwrap_or(Timestamp::MAX)
}

/// How many URLs are due per day.
fn days(
    out: &mut dyn Write,
    planned: impl Iterator<Item = (Seconds, DueReason)>,
) -> Result<(), ViewError> {
    let mut days: BTreeMap<String, BTreeMap<DueReason, u64>> = BTreeMap::new();
    // URLs come in order of time, and the date is computed once per quarter of an hour, not a
    // million times: every time zone's offset is a multiple of that.
    const QUARTER: Seconds = 15 * 60;
    let (mut quarter, mut name) = (Seconds::MIN, String::new());
    for (due, reason) in planned {
        if due.div_euclid(QUARTER) != quarter {
            (quarter, name) = (due.div_euclid(QUARTER), day(at(due)));
        }
        let of_day = match days.get_mut(&name) {
            Some(of_day) => of_day,
            None => days.entry(name.clone()).or_default(),
        };
        *of_day.entry(reason).or_default() += 1;
    }
    let sum = |of: &BTreeMap<DueReason, u64>| of.values().sum::<u64>();
    let most = days.values().map(sum).max().unwrap_or(1).max(1);
    writeln!(out, "\n{FAINT}per day{FAINT:#}")?;
    for (day, of) in days.iter().take(DAYS) {
        let all = sum(of);
        let length = usize::try_from((all * BAR).div_ceil(most)).unwrap_or_default();
        let reason: Vec<String> = of
            .iter()
            .map(|(reason, many)| format!("{} {}", count(*many), reason.as_str()))
            .collect();
        writeln!(
            out,
            "  {day}  {:>7}  {:40}  {FAINT}{}{FAINT:#}",
            count(all),
            "#".repeat(length),
            reason.join(", ")
        )?;
    }
    let later: u64 = days.values().skip(DAYS).map(sum).sum();
    if later > 0 {
        writeln!(out, "  later       {:>7}", count(later))?;
    }
    Ok(())
}

/// The hosts with the most URLs.
fn hosts(out: &mut dyn Write, hosts: &[(String, u64)]) -> Result<(), ViewError> {
    let all = hosts.len() as u64;
    let mut hosts: Vec<&(String, u64)> = hosts.iter().collect();
    hosts.sort_by_key(|(host, many)| (std::cmp::Reverse(*many), host));
    let counts: Vec<String> = hosts
        .iter()
        .take(HOSTS)
        .map(|(host, many)| format!("{} {}", safe(&shorten(host, 60)), count(*many)))
        .collect();
    write!(out, "{FAINT}by host{FAINT:#}  {}", counts.join(", "))?;
    if let Some(rest) = rest_of(all, HOSTS, "host", "hosts") {
        write!(out, ", {rest}")?;
    }
    writeln!(out)?;
    Ok(())
}

fn write_planned(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    planned: &Planned,
) -> Result<(), ViewError> {
    let url = run.url(planned.url)?;
    let last = run
        .outcome(planned.url)?
        .map_or_else(String::new, |last| format!("{}, {}", last.verdict, cause_of_outcome(&last)));
    let times = match planned.times {
        1 => "once".to_owned(),
        times => format!("{times} times"),
    };
    let name = shorten(&url, LONGEST);
    let reason = planned.reason.as_str();
    writeln!(out, "{}  {reason:9}  {}", when(at(planned.at)), safe(&name))?;
    let checked_at = when(at(planned.checked_at));
    write!(
        out,
        "                       {FAINT}{last}; {times}, last checked {checked_at}{FAINT:#}"
    )?;
    if planned.at > planned.due && planned.at - planned.due >= 60 {
        write!(out, "{FAINT}; due {}{FAINT:#}", when(at(planned.due)))?;
    }
    writeln!(out)?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::plain;

    const DAY: Seconds = 86_400;
    /// Noon in UTC, so that a time zone of the machine moves all days by the same amount.
    const NOON: Seconds = 20_000 * DAY + DAY / 2;

    fn shown(planned: &[(Seconds, DueReason)]) -> String {
        plain(|out| days(out, planned.iter().copied()))
    }

    fn bars(text: &str) -> Vec<usize> {
        text.lines().skip(2).map(|line| line.matches('#').count()).collect()
    }

    #[test]
    fn bars_are_in_proportion_and_rounded_up() {
        let mut planned = vec![(NOON, DueReason::Wrong); 80];
        planned.extend([(NOON + DAY, DueReason::New); 40]);
        planned.push((NOON + 2 * DAY, DueReason::Sound));
        assert_eq!(bars(&shown(&planned)), [40, 20, 1], "{}", shown(&planned));
        let few =
            [(NOON, DueReason::Wrong), (NOON + DAY, DueReason::Wrong), (NOON, DueReason::New)];
        assert_eq!(bars(&shown(&few)), [40, 20], "the busiest day has the longest bar");
    }

    #[test]
    fn reasons_are_counted_per_day() {
        let planned = [
            (NOON, DueReason::Wrong),
            (NOON + 60, DueReason::Temporary),
            (NOON + 1800, DueReason::Wrong),
            (NOON + DAY, DueReason::Waived),
        ];
        let text = shown(&planned);
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines[..2], ["", "per day"]);
        assert!(lines[2].ends_with("1 temporary, 2 wrong"), "{text}");
        assert!(lines[2].contains("        3  #"), "{text}");
        assert!(lines[3].ends_with("1 waived"), "{text}");
    }

    #[test]
    fn days_beyond_the_tenth_are_counted_together() {
        let on = |days: Seconds| -> Vec<(Seconds, DueReason)> {
            (0..days).map(|n| (NOON + n * DAY, DueReason::Sound)).collect()
        };
        assert!(!shown(&on(10)).contains("later"), "{}", shown(&on(10)));
        assert!(shown(&on(13)).ends_with("  later             3\n"), "{}", shown(&on(13)));
    }

    #[test]
    fn hosts_come_by_count_and_name_and_the_rest_is_counted() {
        let hosts_of = |names: &[(&str, u64)]| {
            let list: Vec<(String, u64)> =
                names.iter().map(|(name, many)| ((*name).to_owned(), *many)).collect();
            plain(|out| hosts(out, &list))
        };
        let five = [("b.test", 1), ("c.test", 7), ("a.test", 1), ("d.test", 2), ("e.test", 1)];
        assert_eq!(hosts_of(&five), "by host  c.test 7, d.test 2, a.test 1, b.test 1, e.test 1\n");
        let six = [&five[..], &[("f.test", 1)]].concat();
        assert!(hosts_of(&six).ends_with("e.test 1, and 1 more host\n"), "{}", hosts_of(&six));
    }
}
