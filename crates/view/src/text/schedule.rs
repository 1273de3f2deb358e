//! What is to be asked again: how much a day, then address by address.

use std::collections::BTreeMap;
use std::io::Write;

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::schedule::policy::Why;
use rummage_store::{Address, OpenRun};

use super::blocks::{LONGEST, says};
use crate::ViewError;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{FAINT, STRONG};
use crate::when::{day, when};

/// Addresses that are shown, unless another number is asked for.
const SHOWN: usize = 20;
/// Days and hosts that are told of.
const DAYS: usize = 10;
const HOSTS: usize = 5;
/// How long the longest bar is.
const BAR: u64 = 40;

/// An address that is to be asked again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Planned {
    /// The address.
    pub address: Address,
    /// Its host, by a number of its own; addresses of the site stand for themselves.
    pub host: u32,
    /// When it is due, in seconds since 1970.
    pub due: Seconds,
    /// When it will be asked: later where its host is asked enough in that hour.
    pub at: Seconds,
    /// Why it is due then.
    pub why: Why,
    /// When it was asked last.
    pub last: Seconds,
    /// How many checks have said what the last one said.
    pub times: u32,
}

/// What is to be asked again.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Plan {
    /// The addresses, in the order of their times.
    pub planned: Vec<Planned>,
    /// How many of them each host has.
    pub hosts: Vec<(String, u64)>,
}

/// Writes a schedule as it is at some time.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
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
    let all = counted(planned.len() as u64, "address", "addresses");
    writeln!(out, "{all} to be asked again, {} due by now", count(due))?;
    if planned.is_empty() {
        writeln!(out, "Sound pages of the site are asked with each crawl: rummage crawl")?;
        return Ok(());
    }
    days(out, planned)?;
    hosts(out, &plan.hosts)?;
    writeln!(out)?;
    for one in planned.iter().take(limit.unwrap_or(SHOWN)) {
        write_planned(out, run, one)?;
    }
    let more = planned.len().saturating_sub(limit.unwrap_or(SHOWN)) as u64;
    if more > 0 {
        writeln!(out, "{FAINT}and {} more: --limit{FAINT:#}", count(more))?;
    }
    if due > 0 {
        writeln!(out, "\nrummage recheck --due asks what is due.")?;
    }
    Ok(())
}

fn at(seconds: Seconds) -> Timestamp {
    Timestamp::from_second(seconds).unwrap_or(Timestamp::MAX)
}

/// How much is to be asked each day.
fn days(out: &mut dyn Write, planned: &[Planned]) -> Result<(), ViewError> {
    let mut days: BTreeMap<String, BTreeMap<Why, u64>> = BTreeMap::new();
    // They come in the order of their times: a day is looked up once a quarter of an hour,
    // of which every zone has whole ones, and not a million times.
    const QUARTER: Seconds = 15 * 60;
    let (mut quarter, mut name) = (Seconds::MIN, String::new());
    for one in planned {
        if one.at.div_euclid(QUARTER) != quarter {
            (quarter, name) = (one.at.div_euclid(QUARTER), day(at(one.at)));
        }
        let of_day = match days.get_mut(&name) {
            Some(of_day) => of_day,
            None => days.entry(name.clone()).or_default(),
        };
        *of_day.entry(one.why).or_default() += 1;
    }
    let sum = |of: &BTreeMap<Why, u64>| of.values().sum::<u64>();
    let most = days.values().map(sum).max().unwrap_or(1).max(1);
    writeln!(out, "\n{FAINT}a day{FAINT:#}")?;
    for (day, of) in days.iter().take(DAYS) {
        let all = sum(of);
        let length = usize::try_from((all * BAR).div_ceil(most)).unwrap_or_default();
        let why: Vec<String> =
            of.iter().map(|(why, many)| format!("{} {}", count(*many), why.as_str())).collect();
        writeln!(
            out,
            "  {day}  {:>7}  {:40}  {FAINT}{}{FAINT:#}",
            count(all),
            "#".repeat(length),
            why.join(", ")
        )?;
    }
    let later: u64 = days.values().skip(DAYS).map(sum).sum();
    if later > 0 {
        writeln!(out, "  later       {:>7}", count(later))?;
    }
    Ok(())
}

/// Which hosts are asked most.
fn hosts(out: &mut dyn Write, hosts: &[(String, u64)]) -> Result<(), ViewError> {
    let all = hosts.len();
    let mut hosts: Vec<&(String, u64)> = hosts.iter().collect();
    hosts.sort_by_key(|(host, many)| (std::cmp::Reverse(*many), host));
    let told: Vec<String> = hosts
        .iter()
        .take(HOSTS)
        .map(|(host, many)| format!("{} {}", safe(&shorten(host, 60)), count(*many)))
        .collect();
    write!(out, "{FAINT}a host{FAINT:#}  {}", told.join(", "))?;
    let more = all.saturating_sub(HOSTS) as u64;
    if more > 0 {
        write!(out, ", and {} more", counted(more, "host", "hosts"))?;
    }
    writeln!(out)?;
    Ok(())
}

fn write_planned(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    planned: &Planned,
) -> Result<(), ViewError> {
    let url = run.url(planned.address)?;
    let said = run.outcome(planned.address)?;
    let said = said.map_or_else(String::new, |said| match says(&said) {
        empty if empty.is_empty() => said.verdict.to_string(),
        says => format!("{}, {says}", said.verdict),
    });
    let times = match planned.times {
        1 => "once".to_owned(),
        times => format!("{times} times"),
    };
    let name = shorten(&url, LONGEST);
    let why = planned.why.as_str();
    writeln!(out, "{}  {why:8}  {}", when(at(planned.at)), safe(&name))?;
    let last = when(at(planned.last));
    write!(out, "                      {FAINT}{said}; seen so {times}, last {last}{FAINT:#}")?;
    if planned.at > planned.due && planned.at - planned.due >= 60 {
        write!(out, "{FAINT}; due {}{FAINT:#}", when(at(planned.due)))?;
    }
    writeln!(out)?;
    Ok(())
}
