//! The checks of each URL across the runs of a site, as far as the next check depends on them.

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::schedule::policy::{Checked, LastOutcome};
use rummage_core::url::scope::Scope;
use rummage_core::verdict::Verdict;
use rusqlite::{Connection, params};

use crate::db::error::StoreError;
use crate::db::row::word;
use crate::model::{RunInfo, RunState, StoredUrl};
use crate::read::reader::Reader;
use crate::tables::request_log::for_each_entry;
use crate::tables::url_status::UrlStatuses;

/// A URL with its checks.
#[derive(Debug, Clone, Copy)]
pub struct Check {
    /// The URL.
    pub url: StoredUrl,
    /// The last run that checked it.
    pub run: i64,
    /// A link names it; it is not only a redirect hop.
    pub linked: bool,
    /// It is sound according to the last run.
    pub is_sound: bool,
    /// Its checks.
    pub checked: Checked,
}

/// The same, while the runs are read; times in seconds since 1970, up to 2106.
#[derive(Debug, Clone, Copy)]
struct State {
    run: u32,
    checked_at: u32,
    since: u32,
    times: u32,
    last: LastOutcome,
    scope: Scope,
    is_new: bool,
}

impl Reader {
    /// Calls `take` with the checks of all URLs in the last run of a site, and their texts, by
    /// number. Runs in progress and suspicious runs do not count.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn for_each_check(
        &self,
        site: &str,
        mut take: impl FnMut(&Check, &str),
    ) -> Result<(), StoreError> {
        let runs: BTreeMap<i64, RunInfo> = self
            .runs()?
            .into_iter()
            .filter(|run| {
                // A suspicious run did not see what there is.
                run.site == site && matches!(run.state, RunState::Stopped | RunState::Finished)
            })
            .map(|run| (run.number, run))
            .collect();
        let forgotten = forgotten(&self.db, site)?;
        let numbers: BTreeSet<i64> = runs.keys().chain(&forgotten).copied().collect();
        let mut states: Vec<Option<State>> = Vec::new();
        let mut last = UrlStatuses::default();
        for number in numbers {
            match runs.get(&number) {
                Some(run) => {
                    last = UrlStatuses::of_run(&self.db, number)?;
                    for_each_checked(&self.db, run, &last, |check| {
                        note(&mut states, number, check)
                    })?;
                }
                None => {
                    for_each_old(&self.db, site, number, |check| {
                        note(&mut states, number, check);
                    })?;
                }
            }
        }
        let mut select = self.db.prepare("SELECT id, url FROM address ORDER BY id")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let url: u32 = row.get(0)?;
            let state = states.get(url as usize).copied().flatten();
            let (Some(state), Some(url_status)) = (state, last.of(url)) else { continue };
            let check = Check {
                url: StoredUrl(url),
                run: state.run.into(),
                linked: url_status.linked,
                is_sound: url_status.verdict == Verdict::Sound,
                checked: Checked {
                    last: state.last,
                    scope: state.scope,
                    checked_at: state.checked_at.into(),
                    since: state.since.into(),
                    times: state.times,
                    is_new: state.is_new,
                    waived: false,
                },
            };
            take(&check, row.get_ref(1)?.as_str().unwrap_or_default());
        }
        Ok(())
    }
}

impl Reader {
    /// How many requests the runs of a site have made since a time, by the second in which each
    /// ended, in order. For a run in progress, those stored so far.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn requests_since(
        &self,
        site: &str,
        since: Timestamp,
    ) -> Result<Vec<(Seconds, u64)>, StoreError> {
        let mut counts: BTreeMap<Seconds, u64> = BTreeMap::new();
        for run in self.runs()?.into_iter().filter(|run| run.site == site) {
            let last = run.started_at.checked_add(run.took).unwrap_or(Timestamp::MAX);
            if run.state != RunState::Going && last < since {
                continue;
            }
            for_each_entry(&self.db, run.number, |entry| {
                if let Some(request) = entry.request.filter(|request| !request.recalled) {
                    *counts.entry(second(&run, request.at_us)).or_default() += 1;
                }
            })?;
        }
        Ok(counts.split_off(&since.as_second()).into_iter().collect())
    }
}

/// A moment of a run in seconds since 1970.
fn second(run: &RunInfo, at_us: u64) -> Seconds {
    let after = Seconds::try_from(at_us / 1_000_000).unwrap_or(Seconds::MAX / 4);
    run.epoch_at.as_second().saturating_add(after)
}

/// A URL that a run checked, and the result.
#[derive(Debug, Clone, Copy)]
struct UrlCheck {
    url: u32,
    at: u32,
    last: LastOutcome,
    scope: Scope,
}

/// Adds a check to those before it.
fn note(states: &mut Vec<Option<State>>, run: i64, check: UrlCheck) {
    let UrlCheck { url, at, last, scope } = check;
    let index = url as usize;
    if states.len() <= index {
        states.resize(index + 1, None);
    }
    let run = u32::try_from(run).unwrap_or(u32::MAX);
    states[index] = Some(match states[index] {
        Some(state) if state.last == last => {
            State { run, checked_at: at, times: state.times + 1, scope, ..state }
        }
        earlier => State {
            run,
            checked_at: at,
            since: at,
            times: 1,
            last,
            scope,
            is_new: earlier.is_none(),
        },
    });
}

/// Calls `take` with the URLs that a run itself requested.
fn for_each_checked(
    db: &Connection,
    run: &RunInfo,
    url_statuses: &UrlStatuses,
    mut take: impl FnMut(UrlCheck),
) -> Result<(), StoreError> {
    let check = checked_at(db, run)?;
    for (url, at) in (0u32..).zip(check).filter(|(_, at)| *at > 0) {
        let Some(url_status) = url_statuses.of(url).filter(|url_status| !url_status.recalled)
        else {
            continue;
        };
        let last = LastOutcome::of(url_status.verdict, url_status.cause);
        if let (Some(last), Some(scope)) = (last, url_status.scope) {
            take(UrlCheck { url, at, last, scope });
        }
    }
    Ok(())
}

/// Deleted rechecks of a site, of which only the checks are kept.
fn forgotten(db: &Connection, site: &str) -> Result<Vec<i64>, StoreError> {
    let mut select = db.prepare("SELECT DISTINCT run FROM old_check WHERE site = ?1")?;
    Ok(select.query_map([site], |row| row.get(0))?.collect::<Result<_, _>>()?)
}

fn for_each_old(
    db: &Connection,
    site: &str,
    run: i64,
    mut take: impl FnMut(UrlCheck),
) -> Result<(), StoreError> {
    let mut select = db.prepare_cached(
        "SELECT address, at, word, scope FROM old_check WHERE site = ?1 AND run = ?2",
    )?;
    let mut rows = select.query(params![site, run])?;
    while let Some(row) = rows.next()? {
        take(UrlCheck {
            url: row.get(0)?,
            at: row.get(1)?,
            last: word(row, 2, LastOutcome::named)?,
            scope: word(row, 3, Scope::named)?,
        });
    }
    Ok(())
}

/// Stores which URLs a run checked and when, before the run is deleted.
pub(crate) fn keep(db: &Connection, run: &RunInfo) -> Result<(), StoreError> {
    let url_statuses = UrlStatuses::of_run(db, run.number)?;
    let mut insert = db.prepare_cached(
        "INSERT OR REPLACE INTO old_check (site, run, address, at, word, scope)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
    )?;
    let mut check = Vec::new();
    for_each_checked(db, run, &url_statuses, |one| check.push(one))?;
    for UrlCheck { url, at, last, scope } in check {
        insert.execute(params![run.site, run.number, url, at, last.as_str(), scope.as_str()])?;
    }
    Ok(())
}

/// When a run last requested each URL, in seconds since 1970; 0 for never.
fn checked_at(db: &Connection, run: &RunInfo) -> Result<Vec<u32>, StoreError> {
    let mut check: Vec<u32> = Vec::new();
    for_each_entry(db, run.number, |entry| {
        let Some(request) = entry.request.filter(|request| !request.recalled) else { return };
        let index = entry.url as usize;
        if check.len() <= index {
            check.resize(index + 1, 0);
        }
        check[index] = u32::try_from(second(run, request.at_us)).unwrap_or(u32::MAX);
    })?;
    Ok(check)
}
