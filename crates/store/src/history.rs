//! Findings over the runs of a site: when each was found first, and whether it is new,
//! open, healed or back.
//!
//! A finding is a row for as long as it is found. A run that finds what the run before
//! found writes nothing, so that a site that does not change adds nothing.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::compare::{is_passing, is_wrong};
use rummage_core::selection::{Selection, Standing};
use rummage_core::verdict::Verdict;
use rusqlite::{Connection, params};

use crate::StoreError;
use crate::known::{Key, texts_key};
use crate::open::OpenRun;
use crate::reader::{previous, run_info, text, timestamp};
use crate::records::{Address, Changes, History, RunInfo};
use crate::sift::Found;
use crate::sight::Witness;

/// What makes a finding the same in another run: page, target, element, and whether it
/// is wrong or has only moved.
fn key(page: u32, target: u32, fragment: Option<&str>, element: &str, verdict: Verdict) -> Key {
    texts_key(&[page, target, u32::from(is_wrong(verdict))], [fragment, Some(element)])
}

/// The same, of a row with the columns page, target, fragment, element, verdict.
pub(crate) fn key_of_row(row: &rusqlite::Row<'_>) -> Result<Key, StoreError> {
    let verdict = text(row, 4)?.and_then(Verdict::named).unwrap_or(Verdict::Broken);
    Ok(key(row.get(0)?, row.get(1)?, text(row, 2)?, text(row, 3)?.unwrap_or_default(), verdict))
}

/// The run that found something first, and what it was then.
#[derive(Debug, Clone, Copy)]
struct First {
    run: i64,
    at: Timestamp,
    standing: Standing,
}

/// The findings of a site at the time of a run.
#[derive(Debug)]
pub(crate) struct Histories {
    run: i64,
    by_key: HashMap<Key, First>,
}

impl Histories {
    pub(crate) fn of_run(db: &Connection, run: &RunInfo) -> Result<Histories, StoreError> {
        let mut by_key = HashMap::new();
        let mut select = db.prepare(
            "SELECT page, target, fragment, element, verdict, first_run, first_at, standing
             FROM finding
             WHERE site = ?1 AND first_run <= ?2 AND (until_run IS NULL OR until_run > ?2)",
        )?;
        let mut rows = select.query(params![run.site, run.number])?;
        while let Some(row) = rows.next()? {
            let first = First {
                run: row.get(5)?,
                at: timestamp(text(row, 6)?.unwrap_or_default()),
                standing: text(row, 7)?.and_then(Standing::named).unwrap_or(Standing::Open),
            };
            by_key.insert(key_of_row(row)?, first);
        }
        Ok(Histories { run: run.number, by_key })
    }

    fn of(&self, key: Key) -> Option<History> {
        let first = self.by_key.get(&key)?;
        let is_first = first.run == self.run;
        Some(History {
            standing: if is_first { first.standing } else { Standing::Open },
            first_run: first.run,
            first_seen: first.at,
            new_check: is_first && first.standing == Standing::Open,
        })
    }
}

impl OpenRun<'_> {
    /// What has become of a finding over the runs; `None` for what is none, and for a run
    /// that has not ended.
    pub(crate) fn standing(&self, found: &Found) -> Result<Option<History>, StoreError> {
        if !rummage_core::compare::is_finding(found.verdict) {
            return Ok(None);
        }
        Ok(self.histories()?.of(self.key(found)?))
    }

    /// How the findings of the run compare with those of the run before.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn changes(&self) -> Result<Changes, StoreError> {
        changes(self.db, &self.info)
    }

    /// The last status on the way to the target of a link.
    pub(crate) fn status(&self, found: &Found) -> Option<u16> {
        self.saying(found.target.0).and_then(crate::sayings::Saying::status)
    }

    pub(crate) fn key(&self, found: &Found) -> Result<Key, StoreError> {
        let page = self.pages[found.page as usize].address;
        self.marks.with(found.mark, |said| {
            key(page, found.target.0, said.fragment, said.element, found.verdict)
        })
    }
}

/// How the findings of a run compare with those of the run before.
pub(crate) fn changes(db: &Connection, run: &RunInfo) -> Result<Changes, StoreError> {
    // A target is told as listings tell it: placeholders by what is written, fragments
    // where they are what is wrong.
    let mut select = db.prepare(
        "SELECT CASE WHEN until_run = ?2 THEN 'healed'
                     WHEN first_run < ?2 THEN 'still'
                     ELSE standing END AS what,
                count(DISTINCT CASE cause WHEN 'placeholder' THEN trim(written)
                               WHEN 'no-such-fragment' THEN target || '#' || fragment
                               ELSE target || CASE WHEN cause IN ('wrong-type', 'mixed-content')
                                                   THEN cause ELSE '' END END)
         FROM finding
         WHERE site = ?1 AND first_run <= ?2 AND verdict <> 'moved'
             AND (until_run IS NULL OR until_run >= ?2)
         GROUP BY what",
    )?;
    let mut rows = select.query(params![run.site, run.number])?;
    let mut changes = Changes::default();
    while let Some(row) = rows.next()? {
        let many: u64 = row.get(1)?;
        match row.get_ref(0)?.as_str().unwrap_or_default() {
            "healed" => changes.healed = many,
            "still" => changes.open = many,
            "new" => changes.broke = many,
            "returned" => changes.returned = many,
            _ => changes.unseen = many,
        }
    }
    Ok(changes)
}

/// A row of the table, as far as it may change.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Row {
    id: i64,
    says: Says,
    /// This very run closed it, when it was stopped.
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

/// Brings the findings up to date with a run that has ended or was stopped.
pub(crate) fn update(db: &Connection, number: i64) -> Result<(), StoreError> {
    let Some(info) = run_info(db, number)? else { return Ok(()) };
    let before = previous(db, &info)?;
    let run = OpenRun::new(db, info)?;
    let selection = Selection::default();
    let sift = run.sift(&selection)?;
    let (open, closed) = rows_before(db, &run)?;
    let mut update = Update { db, run: &run, before, witness: None, open, closed };
    let mut seen = HashSet::new();
    sift.for_each(|found| {
        let key = run.key(found)?;
        // The same link twice on a page is one finding.
        if seen.insert(key) { update.handle_found(found, key) } else { Ok(()) }
    })?;
    update.close_the_rest()
}

/// The findings of the site up to now: those that are open, and those that have healed.
type Before = (HashMap<Key, Row>, HashSet<Key>);

fn rows_before(db: &Connection, run: &OpenRun<'_>) -> Result<Before, StoreError> {
    let (mut open, mut closed) = (HashMap::new(), HashSet::new());
    let mut select = db.prepare(
        "SELECT page, target, fragment, element, verdict, cause, status, line, column, until_run,
                id
         FROM finding WHERE site = ?1",
    )?;
    let mut rows = select.query([&run.info.site])?;
    while let Some(row) = rows.next()? {
        let key = key_of_row(row)?;
        let until: Option<i64> = row.get(9)?;
        if until.is_some_and(|until| until != run.info.number) {
            closed.insert(key);
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
        open.insert(key, Row { id: row.get(10)?, says, closed: until.is_some(), page, target });
    }
    Ok((open, closed))
}

struct Update<'a> {
    db: &'a Connection,
    run: &'a OpenRun<'a>,
    /// The run before, of the same site.
    before: Option<RunInfo>,
    /// The same, once it was asked something.
    witness: Option<Witness<'a>>,
    /// What is found no more, in the end.
    open: HashMap<Key, Row>,
    /// What had healed.
    closed: HashSet<Key>,
}

impl<'a> Update<'a> {
    fn handle_found(&mut self, found: &Found, key: Key) -> Result<(), StoreError> {
        let status = self.run.status(found);
        let says = Says {
            verdict: found.verdict.as_str().to_owned(),
            cause: found.cause.map(|cause| cause.as_str().to_owned()),
            status,
            line: found.line,
            column: found.column,
        };
        let passing = is_passing(found.cause);
        match self.open.remove(&key) {
            Some(row) if passing && !row.closed => Ok(()),
            None if passing => Ok(()),
            Some(row) if row.says == says && !row.closed => Ok(()),
            Some(row) => self.change(row.id, &says),
            None => self.insert(found, key, &says),
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

    fn insert(&mut self, found: &Found, key: Key, says: &Says) -> Result<(), StoreError> {
        let page = self.run.page_at(found.page);
        let standing = self.first_standing(found, key, page, says.status)?;
        let print = self.run.marks.print(found.mark)?.cast_signed();
        let mut insert = self.db.prepare_cached(
            "INSERT INTO finding (site, page, target, fragment, element, verdict, cause, status,
                 line, column, text, written, region, fingerprint, first_run, first_at,
                 standing)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17)",
        )?;
        let (run, info) = (self.run, &self.run.info);
        let target = run.url(found.target)?;
        run.marks.with(found.mark, |said| {
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
            ])
        })??;
        Ok(())
    }

    fn first_standing(
        &mut self,
        found: &Found,
        key: Key,
        page: Address,
        status: Option<u16>,
    ) -> Result<Standing, StoreError> {
        let Some(before) = &self.before else { return Ok(Standing::New) };
        if self.closed.contains(&key) {
            return Ok(Standing::Returned);
        }
        if self.witness.is_none() {
            self.witness = Some(Witness::new(self.db, before.clone(), &self.run.info)?);
        }
        let witness = self.witness.as_ref().expect("it was just set");
        let would = witness.would_have_seen(page, found.target, found.cause, status);
        Ok(if would { Standing::New } else { Standing::Open })
    }

    /// What is not found any more has healed, where this run would have seen it.
    fn close_the_rest(self) -> Result<(), StoreError> {
        if self.open.is_empty() {
            return Ok(());
        }
        let own = Witness::of(self.run, self.before.as_ref().unwrap_or(&self.run.info));
        let mut close =
            self.db.prepare_cached("UPDATE finding SET until_run = ?2 WHERE id = ?1")?;
        for row in self.open.values().filter(|row| !row.closed) {
            let (page, target) = (Address(row.page), Address(row.target));
            let cause = row.says.cause.as_deref().and_then(rummage_core::verdict::Cause::named);
            if own.would_have_seen(page, target, cause, row.says.status) {
                close.execute(params![row.id, self.run.info.number])?;
            }
        }
        Ok(())
    }
}
