//! Updates the findings of a site after a run.
//!
//! A finding has one row while it is present. A run with the same findings as the previous one
//! writes nothing, so that a site that does not change adds nothing.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::compare::{is_passing, is_wrong};
use rummage_core::findings::lifecycle::{FindingState, Observation, PreviousRun, step};
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::schedule::notifications::NotifyState;
use rummage_core::url::hashed::Key;
use rummage_core::verdict::Cause;
use rusqlite::{Connection, params};

use crate::db::error::StoreError;
use crate::findings::coverage::RunCoverage;
use crate::model::{NotifySettings, RunInfo, RunState, StoredUrl};
use crate::notify::collector::{self, NotificationCollector};
use crate::read::link_query::LinkMatch;
use crate::read::open::OpenRun;
use crate::tables::findings::key_of_row;
use crate::tables::runs::{previous, run_info};

/// A row of the table, as far as it may change.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Row {
    id: i64,
    says: Says,
    known: collector::KnownFinding,
    /// This run closed it, when it was stopped.
    closed: bool,
    page: u32,
    target: u32,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Says {
    verdict: String,
    cause: Option<String>,
    status: Option<u16>,
    line: u32,
    column: u32,
}

/// Updates the findings after a run that has ended or was stopped. Changes are reported when it
/// has ended.
pub(crate) fn update(
    db: &Connection,
    number: i64,
    state: RunState,
    notify: &NotifySettings,
) -> Result<(), StoreError> {
    let Some(info) = run_info(db, number)? else { return Ok(()) };
    let before = previous(db, &info)?;
    let run = OpenRun::new(db, info)?;
    let selection = Selection::default();
    let query = run.query(&selection)?;
    let SoFar { open, closed, untold } = rows_before(db, &run)?;
    let news = state.is_complete().then(|| NotificationCollector::new(db, &run, notify));
    let mut update = Update { db, run: &run, before, canary: None, open, closed, news };
    let mut seen = HashSet::new();
    query.for_each(|found| {
        let key = run.key(found)?;
        // The same link twice on a page is one finding.
        if seen.insert(key) { update.handle_found(found, key) } else { Ok(()) }
    })?;
    if state == RunState::Suspicious {
        // Its findings are real. That it found no others proves nothing.
        return update.news.map_or(Ok(()), NotificationCollector::post);
    }
    update.close_the_rest()?;
    let Some(mut news) = update.news else { return Ok(()) };
    for id in untold {
        news.handle_healed(id, NotifyState::Notified)?;
    }
    news.post()
}

/// The findings of the site so far.
#[derive(Default)]
struct SoFar {
    /// Those that are open.
    open: HashMap<Key, Row>,
    /// Those that are fixed, and whether people were notified of them.
    closed: HashMap<Key, bool>,
    /// Fixed findings that were not reported: the run that saw it was stopped.
    untold: Vec<i64>,
}

fn rows_before(db: &Connection, run: &OpenRun<'_>) -> Result<SoFar, StoreError> {
    let mut so_far = SoFar::default();
    let mut select = db.prepare(
        "SELECT page, target, fragment, element, verdict, cause, status, line, column, until_run,
                id, told, wrong_since, first_at
         FROM finding WHERE site = ?1",
    )?;
    let mut rows = select.query([&run.info.site])?;
    while let Some(row) = rows.next()? {
        let key = key_of_row(row)?;
        let until: Option<i64> = row.get(9)?;
        let known = collector::KnownFinding::of_row(row, 11)?;
        if until.is_some_and(|until| until != run.info.number) {
            let was_notified =
                matches!(known.notified, NotifyState::Notified | NotifyState::Closed);
            *so_far.closed.entry(key).or_default() |= was_notified;
            if known.notified == NotifyState::Notified {
                so_far.untold.push(row.get(10)?);
            }
            continue;
        }
        let says = Says {
            verdict: row.get(4)?,
            cause: row.get(5)?,
            status: row.get(6)?,
            line: row.get(7)?,
            column: row.get(8)?,
        };
        let (page, target) = (row.get(0)?, row.get(1)?);
        let row = Row { id: row.get(10)?, says, known, closed: until.is_some(), page, target };
        so_far.open.insert(key, row);
    }
    Ok(so_far)
}

struct Update<'a> {
    db: &'a Connection,
    run: &'a OpenRun<'a>,
    /// The previous run of the same site.
    before: Option<RunInfo>,
    /// Its coverage, once it is needed.
    canary: Option<RunCoverage<'a>>,
    /// In the end, the findings that are no longer present.
    open: HashMap<Key, Row>,
    /// Findings that were fixed, and whether people were notified of them.
    closed: HashMap<Key, bool>,
    /// The changes to report; none for a run that was stopped.
    news: Option<NotificationCollector<'a>>,
}

impl<'a> Update<'a> {
    fn handle_found(&mut self, found: &LinkMatch, key: Key) -> Result<(), StoreError> {
        let status = self.run.status(found);
        let says = Says {
            verdict: found.verdict.as_str().to_owned(),
            cause: found.cause.map(|cause| cause.as_str().to_owned()),
            status,
            line: found.line,
            column: found.column,
        };
        let seen =
            if is_passing(found.cause) { Observation::Temporary } else { Observation::Present };
        let row = self.open.remove(&key);
        let past = match &row {
            Some(_) => FindingState::Open,
            None if self.closed.contains_key(&key) => FindingState::Healed,
            None => FindingState::Never,
        };
        let page = self.run.page_at(found.page);
        let (_, news) = step(past, seen, || self.before(found, page, status))?;
        let (id, known) = match (row, news) {
            (None, Some(standing)) => self.insert(found, &says, standing)?,
            (None, None) => return Ok(()),
            (Some(row), _) => {
                if row.closed || (seen != Observation::Temporary && row.says != says) {
                    self.change(row.id, &says)?;
                }
                (row.id, row.known)
            }
        };
        match &mut self.news {
            Some(gathering) if seen == Observation::Present && is_wrong(found.verdict) => {
                let again = self.closed.get(&key).copied().unwrap_or_default();
                gathering.handle_there(id, known, found, again)
            }
            _ => Ok(()),
        }
    }

    fn change(&self, id: i64, says: &Says) -> Result<(), StoreError> {
        self.db
            .prepare_cached(
                "UPDATE finding SET verdict = ?2, cause = ?3, status = ?4, line = ?5,
                     column = ?6, until_run = NULL
                 WHERE id = ?1",
            )?
            .execute(params![id, says.verdict, says.cause, says.status, says.line, says.column])?;
        Ok(())
    }

    fn insert(
        &self,
        found: &LinkMatch,
        says: &Says,
        standing: Standing,
    ) -> Result<(i64, collector::KnownFinding), StoreError> {
        let page = self.run.page_at(found.page);
        let info = &self.run.info;
        let since = collector::checked_at(self.run, found.target)?.unwrap_or(info.started_at);
        // A finding that could not be found before is not news; neither is a link that has only
        // moved.
        let is_news = standing != Standing::Open && is_wrong(found.verdict);
        let notified = if is_news { NotifyState::Pending } else { NotifyState::Notified };
        let print = self.run.contents.print(found.content)?.cast_signed();
        let mut insert = self.db.prepare_cached(
            "INSERT INTO finding (site, page, target, fragment, element, verdict, cause, status,
                 line, column, text, written, region, fingerprint, first_run, first_at,
                 standing, told, wrong_since)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17,
                 ?18, ?19)",
        )?;
        let run = self.run;
        let target = run.url(found.target)?;
        run.contents.with(found.content, |said| {
            insert.execute(params![
                info.site,
                page.0,
                found.target.0,
                said.fragment,
                said.element,
                says.verdict,
                says.cause,
                says.status,
                says.line,
                says.column,
                said.text,
                said.written.text(&target),
                said.region.map(|region| region.as_str()),
                print,
                info.number,
                info.started_at.to_string(),
                standing.as_str(),
                notified.as_str(),
                (is_news && found.cause.is_some_and(Cause::is_temporary))
                    .then(|| since.to_string()),
            ])
        })??;
        Ok((self.db.last_insert_rowid(), collector::KnownFinding { notified, since }))
    }

    /// What the previous run could see of a finding.
    fn before(
        &mut self,
        found: &LinkMatch,
        page: StoredUrl,
        status: Option<u16>,
    ) -> Result<PreviousRun, StoreError> {
        let Some(before) = &self.before else { return Ok(PreviousRun::NoRun) };
        if self.canary.is_none() {
            self.canary = Some(RunCoverage::new(self.db, before.clone(), &self.run.info)?);
        }
        let canary = self.canary.as_ref().expect("it was just set");
        let would = canary.would_have_found(page, found.target, found.cause, status);
        Ok(if would { PreviousRun::CouldSee } else { PreviousRun::CouldNotSee })
    }

    /// Findings that are no longer present are fixed, if this run would have found them.
    fn close_the_rest(&mut self) -> Result<(), StoreError> {
        if self.open.is_empty() {
            return Ok(());
        }
        let own = RunCoverage::of(self.run, self.before.as_ref().unwrap_or(&self.run.info));
        let mut close =
            self.db.prepare_cached("UPDATE finding SET until_run = ?2 WHERE id = ?1")?;
        for row in self.open.values() {
            if !row.closed {
                let (page, target) = (StoredUrl(row.page), StoredUrl(row.target));
                let cause = row.says.cause.as_deref().and_then(Cause::named);
                let would = own.would_have_found(page, target, cause, row.says.status);
                let seen = if would { Observation::Gone } else { Observation::NotCovered };
                let (_, news) =
                    step(FindingState::Open, seen, || Ok::<_, StoreError>(PreviousRun::CouldSee))?;
                if news != Some(Standing::Healed) {
                    continue;
                }
                close.execute(params![row.id, self.run.info.number])?;
            }
            if let Some(gathering) = &mut self.news
                && row.says.verdict != "moved"
            {
                gathering.handle_healed(row.id, row.known.notified)?;
            }
        }
        Ok(())
    }
}
