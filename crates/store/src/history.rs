//! Findings over the runs of a site: when each was found first, and whether it is new,
//! open, healed or back.
//!
//! A finding is a row for as long as it is found. A run that finds what the run before
//! found writes nothing, so that a site that does not change adds nothing.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::findings::compare::{is_passing, is_wrong};
use rummage_core::findings::lifecycle::{Before, Past, Seen, step};
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::findings::waiver::{Facts, Waivers};
use rummage_core::schedule::notifications::Told;
use rummage_core::schedule::policy::may_pass;
use rummage_core::verdict::Verdict;
use rusqlite::{Connection, params};

use crate::StoreError;
use crate::known::{Key, texts_key};
use crate::open::OpenRun;
use crate::reader::{previous, run_info, text, timestamp};
use crate::records::{Address, Changes, History, RunInfo, RunState};
use crate::sift::Found;
use crate::sight::Witness;
use crate::telling::{self, Gathering, Telling};

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
    /// The first run of the site, as far as is known.
    earliest: i64,
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
        // Findings know of runs that are forgotten.
        let earliest = db.query_row(
            "SELECT min(number) FROM (SELECT min(id) AS number FROM run WHERE site = ?1
                 UNION ALL SELECT min(first_run) FROM finding WHERE site = ?1)",
            [&run.site],
            |row| row.get(0),
        )?;
        Ok(Histories { run: run.number, earliest, by_key })
    }

    fn of(&self, key: Key) -> Option<History> {
        let first = self.by_key.get(&key)?;
        let is_first = first.run == self.run;
        Some(History {
            standing: if is_first { first.standing } else { Standing::Open },
            first_run: first.run,
            first_seen: first.at,
            has_before: first.run > self.earliest,
            new_check: is_first && first.standing == Standing::Open,
        })
    }
}

impl OpenRun<'_> {
    /// What has become of a finding over the runs; `None` for what is none, and for a run
    /// that has not ended.
    pub(crate) fn standing(&self, found: &Found) -> Result<Option<History>, StoreError> {
        if !rummage_core::findings::compare::is_finding(found.verdict) {
            return Ok(None);
        }
        Ok(self.histories()?.of(self.key(found)?))
    }

    /// How the findings of the run compare with those of the run before.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn changes(&self) -> Result<Changes, StoreError> {
        changes(self.db, &self.info, &self.waivers)
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

/// How the findings of a run compare with those of the run before; what is set aside is
/// left out.
pub(crate) fn changes(
    db: &Connection,
    run: &RunInfo,
    waivers: &Waivers,
) -> Result<Changes, StoreError> {
    let mut told: HashSet<(News, Key)> = HashSet::new();
    let mut select = db.prepare(
        "SELECT target, fragment, cause, trim(written), standing, first_run, until_run,
                CASE WHEN ?3 THEN (SELECT url FROM address WHERE id = page) END,
                CASE WHEN ?3 THEN (SELECT url FROM address WHERE id = target) END,
                CASE WHEN ?3 THEN (SELECT url FROM verdict JOIN address ON address.id = final
                                   WHERE run = ?2 AND verdict.address = target) END,
                status
         FROM finding
         WHERE site = ?1 AND first_run <= ?2 AND verdict <> 'moved'
             AND (until_run IS NULL OR until_run >= ?2)",
    )?;
    let mut rows = select.query(params![run.site, run.number, !waivers.is_empty()])?;
    let mut changes = Changes::default();
    while let Some(row) = rows.next()? {
        if !waivers.is_empty() && is_waived(row, waivers)? {
            continue;
        }
        let (first, until): (i64, Option<i64>) = (row.get(5)?, row.get(6)?);
        let news = match text(row, 4)?.and_then(Standing::named) {
            _ if until == Some(run.number) => News::Healed,
            _ if first < run.number => News::Still,
            Some(Standing::New) => News::Broke,
            Some(Standing::Returned) => News::Returned,
            _ => News::Unseen,
        };
        if told.insert((news, target_key(row)?)) {
            *news.count(&mut changes) += 1;
        }
    }
    Ok(changes)
}

/// What a finding is in a run, beside the run before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum News {
    Broke,
    Returned,
    Healed,
    Still,
    Unseen,
}

impl News {
    fn count(self, changes: &mut Changes) -> &mut u64 {
        match self {
            News::Broke => &mut changes.broke,
            News::Returned => &mut changes.returned,
            News::Healed => &mut changes.healed,
            News::Still => &mut changes.open,
            News::Unseen => &mut changes.unseen,
        }
    }
}

/// A target as listings tell it: placeholders by what is written, fragments where they are
/// what is wrong.
pub(crate) fn target_key(row: &rusqlite::Row<'_>) -> Result<Key, StoreError> {
    let target: u32 = row.get(0)?;
    let (fragment, cause, written) = (text(row, 1)?, text(row, 2)?, text(row, 3)?);
    Ok(match cause {
        Some("placeholder") => texts_key(&[0], [cause, written]),
        Some("no-such-fragment") => texts_key(&[target], [cause, fragment]),
        Some("wrong-type" | "mixed-content") => texts_key(&[target], [cause]),
        _ => texts_key(&[target], [None]),
    })
}

fn is_waived(row: &rusqlite::Row<'_>, waivers: &Waivers) -> Result<bool, StoreError> {
    let address = text(row, 8)?.unwrap_or_default();
    let with_fragment = match text(row, 1)? {
        Some(fragment) => format!("{address}#{fragment}"),
        None => address.to_owned(),
    };
    Ok(waivers.hold(&Facts {
        page: text(row, 7)?.unwrap_or_default(),
        target: &with_fragment,
        cause: text(row, 2)?.and_then(rummage_core::verdict::Cause::named),
        status: row.get(10)?,
        last: text(row, 9)?.unwrap_or(address),
    }))
}

/// A row of the table, as far as it may change.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Row {
    id: i64,
    says: Says,
    known: telling::Known,
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

/// Brings the findings up to date with a run that has ended or was stopped. What is news
/// is told when it has ended.
pub(crate) fn update(
    db: &Connection,
    number: i64,
    state: RunState,
    telling: &Telling,
) -> Result<(), StoreError> {
    let Some(info) = run_info(db, number)? else { return Ok(()) };
    let before = previous(db, &info)?;
    let run = OpenRun::new(db, info)?;
    let selection = Selection::default();
    let sift = run.sift(&selection)?;
    let SoFar { open, closed, untold } = rows_before(db, &run)?;
    let news = (state == RunState::Finished).then(|| Gathering::new(db, &run, telling));
    let mut update = Update { db, run: &run, before, witness: None, open, closed, news };
    let mut seen = HashSet::new();
    sift.for_each(|found| {
        let key = run.key(found)?;
        // The same link twice on a page is one finding.
        if seen.insert(key) { update.handle_found(found, key) } else { Ok(()) }
    })?;
    update.close_the_rest()?;
    let Some(mut news) = update.news else { return Ok(()) };
    for id in untold {
        news.handle_healed(id, Told::Told)?;
    }
    news.post()
}

/// The findings of the site up to now.
#[derive(Default)]
struct SoFar {
    /// Those that are open.
    open: HashMap<Key, Row>,
    /// Those that have healed, and whether people knew of them.
    closed: HashMap<Key, bool>,
    /// Those of them whose healing nobody was told: a run saw it that was stopped.
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
        let known = telling::Known::of_row(row, 11)?;
        if until.is_some_and(|until| until != run.info.number) {
            let was_told = matches!(known.told, Told::Told | Told::Over);
            *so_far.closed.entry(key).or_default() |= was_told;
            if known.told == Told::Told {
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
    /// The run before, of the same site.
    before: Option<RunInfo>,
    /// The same, once it was asked something.
    witness: Option<Witness<'a>>,
    /// What is found no more, in the end.
    open: HashMap<Key, Row>,
    /// What had healed, and whether people knew of it.
    closed: HashMap<Key, bool>,
    /// What people are told; of a run that was stopped, nothing.
    news: Option<Gathering<'a>>,
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
        let seen = if is_passing(found.cause) { Seen::Passing } else { Seen::There };
        let row = self.open.remove(&key);
        let past = match &row {
            Some(_) => Past::Found,
            None if self.closed.contains_key(&key) => Past::Healed,
            None => Past::Never,
        };
        let page = self.run.page_at(found.page);
        let (_, news) = step(past, seen, || self.before(found, page, status))?;
        let (id, known) = match (row, news) {
            (None, Some(standing)) => self.insert(found, &says, standing)?,
            (None, None) => return Ok(()),
            (Some(row), _) => {
                if row.closed || (seen != Seen::Passing && row.says != says) {
                    self.change(row.id, &says)?;
                }
                (row.id, row.known)
            }
        };
        match &mut self.news {
            Some(gathering) if seen == Seen::There && is_wrong(found.verdict) => {
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
        found: &Found,
        says: &Says,
        standing: Standing,
    ) -> Result<(i64, telling::Known), StoreError> {
        let page = self.run.page_at(found.page);
        let info = &self.run.info;
        let since = telling::checked_at(self.run, found.target)?.unwrap_or(info.started_at);
        // What only could be seen now is no news; neither is what has only moved.
        let is_news = standing != Standing::Open && is_wrong(found.verdict);
        let told = if is_news { Told::Waiting } else { Told::Told };
        let print = self.run.marks.print(found.mark)?.cast_signed();
        let mut insert = self.db.prepare_cached(
            "INSERT INTO finding (site, page, target, fragment, element, verdict, cause, status,
                 line, column, text, written, region, fingerprint, first_run, first_at,
                 standing, told, wrong_since)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17,
                 ?18, ?19)",
        )?;
        let run = self.run;
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
                told.as_str(),
                (is_news && found.cause.is_some_and(may_pass)).then(|| since.to_string()),
            ])
        })??;
        Ok((self.db.last_insert_rowid(), telling::Known { told, since }))
    }

    /// What the run before had to say of a finding.
    fn before(
        &mut self,
        found: &Found,
        page: Address,
        status: Option<u16>,
    ) -> Result<Before, StoreError> {
        let Some(before) = &self.before else { return Ok(Before::NoRun) };
        if self.witness.is_none() {
            self.witness = Some(Witness::new(self.db, before.clone(), &self.run.info)?);
        }
        let witness = self.witness.as_ref().expect("it was just set");
        let would = witness.would_have_seen(page, found.target, found.cause, status);
        Ok(if would { Before::Looked } else { Before::Blind })
    }

    /// What is not found any more has healed, where this run would have seen it.
    fn close_the_rest(&mut self) -> Result<(), StoreError> {
        if self.open.is_empty() {
            return Ok(());
        }
        let own = Witness::of(self.run, self.before.as_ref().unwrap_or(&self.run.info));
        let mut close =
            self.db.prepare_cached("UPDATE finding SET until_run = ?2 WHERE id = ?1")?;
        for row in self.open.values() {
            if !row.closed {
                let (page, target) = (Address(row.page), Address(row.target));
                let cause = row.says.cause.as_deref().and_then(rummage_core::verdict::Cause::named);
                let would = own.would_have_seen(page, target, cause, row.says.status);
                let seen = if would { Seen::Gone } else { Seen::Hidden };
                let (_, news) = step(Past::Found, seen, || Ok::<_, StoreError>(Before::Looked))?;
                if news != Some(Standing::Healed) {
                    continue;
                }
                close.execute(params![row.id, self.run.info.number])?;
            }
            if let Some(gathering) = &mut self.news
                && row.says.verdict != "moved"
            {
                gathering.handle_healed(row.id, row.known.told)?;
            }
        }
        Ok(())
    }
}
