//! `rummage waive`: waives findings, lists waivers, lifts them.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::io::Write;

use jiff::civil::Date;
use jiff::{Timestamp, ToSpan as _};
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::findings::waiver::{Facts, ObservedTarget, Waiver, WaiverEffect, WaiverKind};
use rummage_core::url::pattern::Pattern;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, Reader, StoreError, StoredUrl};
use rummage_view::{Covered, ViewError, WaiverRow};

use crate::args::{FINDINGS, Patterns, WaiveArgs};
use crate::clock::WallClock;
use crate::failure::{Exit, Failure};
use crate::output;
use crate::session::Session;
use crate::waivers::{Entry, File};

/// How many days a waiver with --leave holds by default.
const LEFT_FOR: i64 = 180;

pub(crate) fn run(args: &WaiveArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let store = session.store.as_path();
    let today = session.clock.today();
    let mut file = File::load(config, store)?;
    let mut out = output::buffered(session.terminal.stdout());
    if !args.lift.is_empty() {
        let lifted = file.lift(&args.lift)?;
        file.save()?;
        let rows: Vec<WaiverRow> = lifted.iter().map(|entry| row(entry, today)).collect();
        rummage_view::lifted(&mut out, &rows).map_err(ViewError::from)?;
    } else {
        let reader = Reader::open(store)?;
        let run = reader.open_run(session.run(&reader, None)?)?;
        if args.list {
            list(&mut out, &run, &file, today)?;
        } else {
            drop(add(&mut out, args, &run, &mut file, session.clock)?);
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// Waives what the arguments name, and returns the waiver.
pub(crate) fn waive(args: &WaiveArgs, session: &Session) -> Result<Entry, Failure> {
    let mut file = File::load(&session.config, &session.store)?;
    let reader = Reader::open(&session.store)?;
    let run = reader.open_run(session.run(&reader, None)?)?;
    add(&mut std::io::sink(), args, &run, &mut file, session.clock)
}

/// Lifts a waiver; returns whether it was still there.
pub(crate) fn lift(entry: &Entry, session: &Session) -> Result<bool, Failure> {
    let mut file = File::load(&session.config, &session.store)?;
    let Some(at) = file.entries.iter().rposition(|own| own == entry) else { return Ok(false) };
    file.lift(&[at + 1])?;
    file.save()?;
    Ok(true)
}

fn add(
    out: &mut dyn Write,
    args: &WaiveArgs,
    run: &OpenRun<'_>,
    file: &mut File,
    clock: WallClock,
) -> Result<Entry, Failure> {
    let today = clock.today();
    let (patterns, chooses) = args.selecting.patterns();
    let mut entry = entry(args, patterns, clock.now(), today)?;
    if entry.is_bare() && !chooses {
        return Err(Failure::Usage {
            what: "nothing to waive".to_owned(),
            hint: "Give a target, --host, --page or --cause, or --all for all findings; --dry-run \
                   shows what matches."
                .to_owned(),
        });
    }
    if chooses {
        entry.targets = chosen(args, &entry, run)?;
    }
    let waiver = Waiver { kind: WaiverKind::Leave, ..entry.waiver() };
    let mut covered = Covered::default();
    let mut observed: BTreeMap<String, ObservedTarget> = BTreeMap::new();
    for_each_finding(run, |facts, verdict| {
        if !waiver.fits(facts) {
            return;
        }
        covered.links += 1;
        covered.targets.insert(facts.target.to_owned(), verdict);
        observed.entry(facts.target.to_owned()).or_insert_with(|| ObservedTarget {
            target: facts.target.to_owned(),
            status: facts.status,
            last: facts.last.to_owned(),
        });
    })?;
    if covered.targets.is_empty() || (chooses && entry.targets.is_empty()) {
        return Err(Failure::Usage {
            what: format!("no finding of run {} matches; nothing was waived", run.info().number),
            hint: match patterns_of(&waiver).find(|pattern| pattern.looks_like_another_kind()) {
                Some(pattern) => format!(
                    "In patterns, only * is special: {} is taken literally.",
                    rummage_view::safe(pattern.as_str())
                ),
                None => "rummage findings lists the findings.".to_owned(),
            },
        });
    }
    if entry.kind == WaiverKind::Works {
        entry.observed = observed.into_values().collect();
    }
    if args.dry_run {
        rummage_view::would_waive(out, &row(&entry, today), &covered).map_err(ViewError::from)?;
        return Ok(entry);
    }
    let path = file.path.display().to_string();
    let shown = row(&entry, today);
    let number = file.add(entry.clone());
    file.save()?;
    rummage_view::waived(out, &shown, &covered, number, &path).map_err(ViewError::from)?;
    Ok(entry)
}

/// The targets of the findings that are selected now, by more than a waiver can name.
fn chosen(args: &WaiveArgs, entry: &Entry, run: &OpenRun<'_>) -> Result<Vec<String>, StoreError> {
    let mut selection = args.selecting.selection(FINDINGS);
    selection.targets.extend(args.targets.iter().map(|target| Pattern::new(target)));
    let fits = Waiver { kind: WaiverKind::Leave, ..entry.waiver() };
    let mut targets = BTreeSet::new();
    run.query(&selection)?.for_each(|found| {
        let facts = run.facts(found)?;
        if fits.fits(&facts.facts()) {
            targets.insert(facts.target);
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(targets.into_iter().collect())
}

fn patterns_of(waiver: &Waiver) -> impl Iterator<Item = &Pattern> {
    waiver.targets.iter().chain(&waiver.hosts).chain(&waiver.pages).chain(&waiver.excepts)
}

/// The date on which a waiver ends, if it does.
fn last_day(args: &WaiveArgs, now: Timestamp, today: Date) -> Result<Option<Date>, Failure> {
    let day = match args.until {
        Some(when) => when.day(now),
        None if args.works => return Ok(None),
        None => today.saturating_add(LEFT_FOR.days()),
    };
    if day <= today {
        return Err(Failure::Usage {
            what: format!("--until {day}: that date has passed"),
            hint: "Give a later date, or a number of days such as 90d.".to_owned(),
        });
    }
    Ok(Some(day))
}

fn entry(
    args: &WaiveArgs,
    patterns: Patterns,
    now: Timestamp,
    today: Date,
) -> Result<Entry, Failure> {
    let Patterns { targets, excepts, hosts, pages, causes } = patterns;
    let kind = if args.works { WaiverKind::Works } else { WaiverKind::Leave };
    Ok(Entry {
        kind,
        reason: args.reason.clone().unwrap_or_default(),
        made: Some(today),
        by: ["USER", "USERNAME", "LOGNAME"].iter().find_map(|name| std::env::var(name).ok()),
        until: last_day(args, now, today)?,
        targets: match args.selecting.is_all() {
            true => vec!["*".to_owned()],
            false => args.targets.iter().cloned().chain(targets).collect(),
        },
        excepts,
        hosts,
        pages,
        causes,
        observed: Vec::new(),
    })
}

/// Calls `take` with every finding of a run, waived or not.
fn for_each_finding(
    run: &OpenRun<'_>,
    mut take: impl FnMut(&Facts<'_>, Verdict),
) -> Result<(), StoreError> {
    let selection = Selection::default();
    run.query(&selection)?.for_each(|found| {
        take(&run.facts(found)?.facts(), found.verdict);
        Ok(())
    })
}

fn list(out: &mut dyn Write, run: &OpenRun<'_>, file: &File, today: Date) -> Result<(), Failure> {
    let waivers = file.waivers(today);
    let mut rows: Vec<WaiverRow> = file.entries.iter().map(|entry| row(entry, today)).collect();
    let mut reopened: Vec<HashSet<String>> = vec![HashSet::new(); rows.len()];
    for_each_finding(run, |facts, verdict| {
        for (at, waiver) in waivers.0.iter().enumerate() {
            match waiver.cover(facts) {
                WaiverEffect::None => {}
                WaiverEffect::Reopened => drop(reopened[at].insert(facts.target.to_owned())),
                WaiverEffect::Waives | WaiverEffect::Ended => {
                    rows[at].covered.links += 1;
                    rows[at].covered.targets.insert(facts.target.to_owned(), verdict);
                }
            }
        }
    })?;
    for (row, reopened) in rows.iter_mut().zip(reopened) {
        row.reopened = reopened.len() as u64;
    }
    let path = file.path.display().to_string();
    let shown = rummage_view::waivers(out, run.info(), &rows, &path);
    Ok(shown.map_err(ViewError::from)?)
}

/// The waivers that cover links to a URL, with their numbers in the list.
pub(super) fn of_target(
    run: &OpenRun<'_>,
    url: StoredUrl,
    file: &File,
    today: Date,
) -> Result<Vec<(usize, WaiverRow)>, Failure> {
    let waivers = file.waivers(today);
    let mut covering = vec![false; file.entries.len()];
    let selection = Selection::default();
    run.query_to(url, &Selection { standings: vec![Standing::Waived], ..selection })?.for_each(
        |found| {
            let facts = run.facts(found)?;
            for (covers, waiver) in covering.iter_mut().zip(&waivers.0) {
                *covers |= waiver.cover(&facts.facts()) == WaiverEffect::Waives;
            }
            Ok::<_, StoreError>(())
        },
    )?;
    let all = file.entries.iter().enumerate().zip(covering);
    let covering = all.filter(|(_, covers)| *covers);
    Ok(covering.map(|((at, entry), _)| (at + 1, row(entry, today))).collect())
}

/// A waiver as it is shown.
fn row(entry: &Entry, today: Date) -> WaiverRow {
    let days = |from: Date, to: Date| from.until(to).map_or(0, |span| i64::from(span.get_days()));
    let patterns = [
        ("target", &entry.targets),
        ("except", &entry.excepts),
        ("host", &entry.hosts),
        ("page", &entry.pages),
        ("cause", &entry.causes.iter().map(|cause| cause.as_str().to_owned()).collect()),
    ];
    WaiverRow {
        kind: entry.kind,
        reason: entry.reason.clone(),
        by: entry.by.clone(),
        made: entry.made,
        age: entry.made.map(|made| days(made, today)),
        until: entry.until,
        left: entry.until.map(|until| days(today, until)),
        patterns: patterns
            .into_iter()
            .flat_map(|(kind, list)| list.iter().map(move |text| (kind, text.clone())))
            .collect(),
        covered: Covered::default(),
        reopened: 0,
    }
}
