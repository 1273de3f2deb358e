//! A fleet: its workers and queue, its sites, its findings.

use std::io::Write;
use std::time::Duration;

use rummage_fleet::sites::SiteStatus;
use rummage_fleet::status::{FleetStatus, WorkerStatus};

use crate::ViewError;
use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::style::{FAINT, STRONG};
use crate::text::sites::table;
use crate::when::when;

/// Names and problems are cut to this many characters.
const NAME: usize = 40;
const PROBLEM: usize = 200;

/// Writes the state of a fleet.
///
/// # Errors
/// See [`ViewError`].
pub fn fleet_status(out: &mut dyn Write, status: &FleetStatus) -> Result<(), ViewError> {
    let lines = [("queue", queue(status)), ("results", results(status))];
    for (name, text) in lines {
        writeln!(out, "{STRONG}{name:<9}{STRONG:#}{text}")?;
    }
    if status.undelivered > 0 {
        let digests = counted(status.undelivered, "digest is waiting", "digests are waiting");
        let reason = status.delivery_problem.as_deref().map(problem);
        let reason = reason.map(|reason| format!(": {reason}")).unwrap_or_default();
        writeln!(out, "{STRONG}{:<9}{STRONG:#}{digests}{reason}", "digests")?;
    }
    writeln!(out)?;
    if status.workers.is_empty() {
        writeln!(out, "{FAINT}no worker runs: rummage fleet work{FAINT:#}")?;
    } else {
        let rows: Vec<Vec<String>> = status.workers.iter().map(worker).collect();
        let columns = ["worker", "state", "since", "requests", "a minute", "sites"];
        table(out, &columns, &rows, "")?;
    }
    let failing = status.failing.iter().map(|(name, reason)| (name, reason));
    problems(out, status.failing_count, failing)
}

/// Writes which sites could not be checked, and why; `all` counts those that are left out, too.
fn problems<'a>(
    out: &mut dyn Write,
    all: u64,
    failing: impl ExactSizeIterator<Item = (&'a String, &'a String)>,
) -> Result<(), ViewError> {
    if all == 0 {
        return Ok(());
    }
    let sites = counted(all, "site", "sites");
    writeln!(out, "\n{STRONG}{sites} could not be checked{STRONG:#}")?;
    let shown = failing.len() as u64;
    for (name, reason) in failing {
        writeln!(out, "  {}: {}", safe(&shorten(name, NAME)), problem(reason))?;
    }
    if all > shown {
        let more = count(all - shown);
        writeln!(out, "  {FAINT}and {more} more: rummage fleet sites{FAINT:#}")?;
    }
    Ok(())
}

fn problem(text: &str) -> String {
    safe(&shorten(text, PROBLEM)).to_string()
}

fn queue(status: &FleetStatus) -> String {
    let sites = counted(status.sites, "site", "sites");
    let mut text = format!(
        "{sites}: {} being checked, {} waiting",
        count(status.leased),
        count(status.queued)
    );
    match (&status.oldest, status.next_at) {
        (Some((name, wait)), _) => {
            let name = safe(&shorten(name, NAME)).to_string();
            text.push_str(&format!("; {name} has waited {}", whole(*wait)));
        }
        (None, Some(next)) => text.push_str(&format!("; the next is due {}", when(next))),
        (None, None) => {}
    }
    text
}

fn results(status: &FleetStatus) -> String {
    format!(
        "{}, {} known, {} of stores",
        counted(status.findings, "open finding", "open findings"),
        counted(status.external_checks, "external check", "external checks"),
        size(status.saved_bytes)
    )
}

fn worker(worker: &WorkerStatus) -> Vec<String> {
    let state = match worker.is_up {
        true => "running".to_owned(),
        false => format!("silent for {}", whole(worker.silent)),
    };
    let named = worker.sites.iter().map(|(site, task)| match task.as_str() {
        "" => shorten(site, NAME),
        task => format!("{} ({task})", shorten(site, NAME)),
    });
    let sites: Vec<String> = named.collect();
    vec![
        safe(&shorten(&worker.name, NAME)).to_string(),
        state,
        when(worker.started_at),
        count(worker.requests),
        count(worker.requests_per_minute),
        safe(&sites.join(", ")).to_string(),
    ]
}

/// A duration in whole seconds.
fn whole(time: Duration) -> String {
    duration(Duration::from_secs(time.as_secs()))
}

fn size(bytes: u64) -> String {
    match bytes {
        ..1_000_000 => format!("{} KB", count(bytes.div_ceil(1_000))),
        _ => format!("{} MB", count(bytes.div_ceil(1_000_000))),
    }
}

/// Writes the sites of a fleet, one line each.
///
/// # Errors
/// See [`ViewError`].
pub fn fleet_sites(out: &mut dyn Write, sites: &[SiteStatus]) -> Result<(), ViewError> {
    let rows: Vec<Vec<String>> = sites.iter().map(site).collect();
    let columns = ["site", "state", "last pass", "next", "pages", "open"];
    table(out, &columns, &rows, "no site yet: rummage fleet sites import rummage.toml")?;
    let failing: Vec<(&String, &String)> =
        sites.iter().filter_map(|site| Some((&site.name, site.problem.as_ref()?))).collect();
    problems(out, failing.len() as u64, failing.into_iter())
}

fn site(site: &SiteStatus) -> Vec<String> {
    let number = |value: Option<u64>| value.map(count).unwrap_or_default();
    let task = site.task.as_deref().filter(|task| !task.is_empty()).unwrap_or("taken");
    let state = match (&site.worker, site.failures, &site.run_state) {
        (Some(worker), ..) => format!("{task} by {}", safe(&shorten(worker, NAME))),
        (None, 1, _) => "failed once".to_owned(),
        (None, 2.., _) => format!("failed {} times", site.failures),
        (None, 0, Some(state)) => state.clone(),
        (None, 0, None) => "new".to_owned(),
    };
    vec![
        safe(&shorten(&site.name, NAME)).to_string(),
        state,
        site.passed_at.map(when).unwrap_or_default(),
        if site.worker.is_some() { String::new() } else { when(site.due_at) },
        number(site.pages),
        number(site.open),
    ]
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::testing::plain;
    use jiff::Timestamp;

    fn at(second: i64) -> Timestamp {
        Timestamp::from_second(second).unwrap()
    }

    fn busy() -> FleetStatus {
        FleetStatus {
            now: at(1_800_000_000),
            workers: vec![
                WorkerStatus {
                    id: 1,
                    name: "north-1".to_owned(),
                    version: "0.1.0".to_owned(),
                    started_at: at(1_799_990_000),
                    silent: Duration::from_secs(3),
                    is_up: true,
                    sites: vec![
                        ("museum".to_owned(), "crawl".to_owned()),
                        ("old \u{1b}[31mred".to_owned(), String::new()),
                    ],
                    requests: 12_345,
                    requests_per_minute: 321,
                },
                WorkerStatus {
                    id: 2,
                    name: "south-1".to_owned(),
                    version: "0.1.0".to_owned(),
                    started_at: at(1_799_990_000),
                    silent: Duration::from_millis(95_400),
                    is_up: false,
                    sites: Vec::new(),
                    requests: 7,
                    requests_per_minute: 0,
                },
            ],
            sites: 1200,
            leased: 2,
            queued: 31,
            oldest: Some(("harbour".to_owned(), Duration::from_millis(200_900))),
            next_at: Some(at(1_800_000_600)),
            failing: vec![("lock".to_owned(), "the server does not exist".to_owned())],
            failing_count: 12,
            findings: 4321,
            external_checks: 1,
            undelivered: 2,
            delivery_problem: Some("no mail server".to_owned()),
            saved_bytes: 1_000_001,
        }
    }

    fn drawn(status: &FleetStatus) -> String {
        plain(|out| fleet_status(out, status))
    }

    #[test]
    fn a_busy_fleet_shows_what_waits_and_what_is_wrong() {
        insta::assert_snapshot!(drawn(&busy()));
    }

    #[test]
    fn a_quiet_fleet_says_when_the_next_site_is_due() {
        let status = FleetStatus {
            workers: Vec::new(),
            leased: 0,
            queued: 0,
            oldest: None,
            failing: Vec::new(),
            failing_count: 0,
            undelivered: 0,
            saved_bytes: 1_000,
            ..busy()
        };
        let text = drawn(&status);
        assert!(text.contains("0 being checked, 0 waiting; the next is due 2027-"), "{text}");
        assert!(text.contains("no worker runs: rummage fleet work"), "{text}");
        assert!(text.contains("1 external check known, 1 KB of stores"), "{text}");
        assert!(!text.contains("digest") && !text.contains("could not be checked"), "{text}");
    }

    #[test]
    fn a_site_says_who_has_it_or_how_it_ended() {
        let known = SiteStatus {
            name: "museum".to_owned(),
            due_at: at(1_800_000_000),
            worker: None,
            task: Some("crawl".to_owned()),
            passed_at: None,
            run_state: None,
            pages: None,
            open: None,
            failures: 0,
            problem: None,
        };
        let state = |site: &SiteStatus| self::site(site)[1].clone();
        assert_eq!(state(&known), "new");
        let held = SiteStatus { worker: Some("north-1".to_owned()), ..known.clone() };
        assert_eq!(state(&held), "crawl by north-1");
        assert_eq!(self::site(&held)[3], "", "it is being checked now");
        let ended = SiteStatus { run_state: Some("finished".to_owned()), ..known.clone() };
        assert_eq!(state(&ended), "finished");
        assert_eq!(state(&SiteStatus { failures: 1, ..ended.clone() }), "failed once");
        assert_eq!(state(&SiteStatus { failures: 3, ..ended }), "failed 3 times");
        let text = plain(|out| fleet_sites(out, &[]));
        assert!(text.ends_with("no site yet: rummage fleet sites import rummage.toml\n"), "{text}");
        let failed = SiteStatus { problem: Some("no such name".to_owned()), ..known };
        let text = plain(|out| fleet_sites(out, std::slice::from_ref(&failed)));
        assert!(
            text.ends_with("\n\n1 site could not be checked\n  museum: no such name\n"),
            "{text}"
        );
    }
}
