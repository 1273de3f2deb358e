//! The links of a run with what is said of their targets, in rank order.

use std::collections::HashMap;
use std::sync::Arc;

use jiff::Timestamp;
use rummage_core::crawl::{NotRead, Place};
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::scope::Scope;
use rummage_core::selection::Selection;
use rummage_core::verdict::{Cause, Judgement, LinkSeen, Verdict, of_link};
use rusqlite::{Row, params};

use crate::order::{self, Page};
use crate::pack;
use crate::records::{LinkRow, Outcome, RunInfo, RunState};
use crate::{Reader, StoreError};

/// What a run says of addresses; `?1` is the run. Its columns begin every row that
/// [`outcome`] reads.
pub(crate) const OUTCOME_SQL: &str = "
    SELECT verdict.verdict, verdict.cause, verdict.status, last.url, moved.url, verdict.hops,
           verdict.scope, verdict.checked_us, target.id, target.url, verdict.not_read
    FROM address AS target
    JOIN verdict ON verdict.run = ?1 AND verdict.address = target.id
    JOIN address AS last ON last.id = verdict.final
    LEFT JOIN address AS moved ON moved.id = verdict.moved_to";

/// A page by its address and title.
#[derive(Clone, Copy)]
struct Named<'a> {
    address: &'a str,
    title: Option<&'a str>,
}

/// What a link says, and what is said of it.
struct Mark {
    address: Arc<str>,
    fragment: Option<String>,
    element: String,
    attribute: String,
    rel: Option<String>,
    written: String,
    text: Option<String>,
    region: Option<String>,
    /// A script acts on the element.
    scripted: bool,
    /// What is said of the address.
    outcome: Outcome,
    /// What is said of the fragment.
    place: Option<Place>,
    /// The address is a page, whatever is asked for.
    is_page: bool,
    /// On how many pages it stands.
    pages: u64,
    /// The last page on which it was counted.
    counted_on: usize,
}

impl Reader {
    /// Gives each selected link of a run, pages in the order of their rank, the
    /// links of a page in source order.
    ///
    /// # Errors
    /// When the store cannot be read, and whatever `take` gives.
    pub fn for_each_link<E: From<StoreError>>(
        &self,
        run: &RunInfo,
        selection: &Selection,
        mut take: impl FnMut(LinkRow) -> Result<(), E>,
    ) -> Result<(), E> {
        let pages = order::pages(&self.db, run.number)?;
        let mut marks = self.marks(run, selection)?;
        if marks.is_empty() {
            return Ok(());
        }
        self.walk(&pages, |at, _, place| {
            if let Some(mark) = marks.get_mut(&place.mark)
                && mark.counted_on != at
            {
                mark.counted_on = at;
                mark.pages += 1;
            }
            Ok::<_, E>(())
        })?;
        self.walk(&pages, |_, page, place| {
            let Some(mark) = marks.get(&place.mark) else { return Ok(()) };
            let row = mark.row(page, place);
            if selection.takes(row.outcome.verdict) { take(row) } else { Ok(()) }
        })
    }

    fn walk<E: From<StoreError>>(
        &self,
        pages: &[Page],
        mut take: impl FnMut(usize, Named<'_>, pack::Place) -> Result<(), E>,
    ) -> Result<(), E> {
        let mut select = self
            .db
            .prepare_cached(
                "SELECT url, links, title FROM page_version JOIN address ON address.id = address
                 WHERE page_version.id = ?1",
            )
            .map_err(StoreError::from)?;
        for (at, page) in pages.iter().enumerate() {
            let (url, links, title): (String, Vec<u8>, Option<String>) = select
                .query_row(params![page.version], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))
                .map_err(StoreError::from)?;
            let page = Named { address: &url, title: title.as_deref() };
            for place in pack::unpack(&links) {
                take(at, page, place)?;
            }
        }
        Ok(())
    }

    /// The selected marks: those whose target has a selected verdict, and those whose
    /// fragment decides. Most marks are sound, so targets are looked at first.
    fn marks(
        &self,
        run: &RunInfo,
        selection: &Selection,
    ) -> Result<HashMap<i64, Mark>, StoreError> {
        let beside = Beside { places: self.places(run.number)?, faults: self.faults(run.number)? };
        let outcomes = self.outcomes(run, selection, &beside)?;
        let mut marks = HashMap::new();
        if outcomes.is_empty() {
            return Ok(marks);
        }
        let mut select = self.db.prepare(
            "SELECT id, target, fragment, element, attribute, rel, written, text, region, scripted
             FROM mark",
        )?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let target: i64 = row.get(1)?;
            let Some((address, outcome)) = outcomes.get(&target) else { continue };
            let fragment = row.get_ref(2)?.as_str_or_null().unwrap_or_default();
            let place = fragment.and_then(|f| beside.places.get(&target)?.get(f)).copied();
            let faulty = beside.faults.get(&target);
            if selection.takes(outcome.verdict) || place.is_some() || faulty.is_some() {
                let is_page = faulty.is_some_and(|is_page| *is_page);
                let of_address = (address, outcome.clone());
                marks.insert(row.get(0)?, mark(row, of_address, place, is_page)?);
            }
        }
        Ok(marks)
    }

    /// Addresses that a selected mark may lead to, with what is said of them.
    fn outcomes(
        &self,
        run: &RunInfo,
        selection: &Selection,
        beside: &Beside,
    ) -> Result<HashMap<i64, (Arc<str>, Outcome)>, StoreError> {
        let mut outcomes = HashMap::new();
        let mut select = self.db.prepare(OUTCOME_SQL)?;
        let mut rows = select.query([run.number])?;
        while let Some(row) = rows.next()? {
            let id: i64 = row.get(8)?;
            let verdict = row.get_ref(0)?.as_str().unwrap_or_default();
            let taken = Verdict::named(verdict).is_some_and(|verdict| selection.takes(verdict));
            if taken || beside.places.contains_key(&id) || beside.faults.contains_key(&id) {
                let url: Arc<str> = row.get::<_, String>(9)?.into();
                outcomes.insert(id, (url, outcome(row, run.started_at)?));
            }
        }
        if selection.takes(Verdict::Skipped) && run.state != RunState::Finished {
            self.add_not_asked(run, &mut outcomes)?;
        }
        Ok(outcomes)
    }

    /// Addresses without a verdict: their run was stopped before they were asked.
    fn add_not_asked(
        &self,
        run: &RunInfo,
        outcomes: &mut HashMap<i64, (Arc<str>, Outcome)>,
    ) -> Result<(), StoreError> {
        let mut select = self.db.prepare(
            "SELECT id, url FROM address WHERE NOT EXISTS
                 (SELECT 1 FROM verdict WHERE run = ?1 AND verdict.address = address.id)",
        )?;
        let mut rows = select.query([run.number])?;
        while let Some(row) = rows.next()? {
            let url: Arc<str> = row.get::<_, String>(1)?.into();
            outcomes.insert(row.get(0)?, (url, not_asked()));
        }
        Ok(())
    }

    /// What is said of fragments, by address and fragment.
    fn places(&self, run: i64) -> Result<Places, StoreError> {
        let mut places = Places::new();
        let mut select =
            self.db.prepare("SELECT address, fragment, place FROM no_place WHERE run = ?1")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let of_address = places.entry(row.get(0)?).or_default();
            let place = match row.get_ref(2)?.as_str().unwrap_or_default() {
                "missing" => Place::Missing,
                _ => Place::ForScript,
            };
            of_address.insert(row.get(1)?, place);
        }
        Ok(places)
    }

    /// Addresses whose links may have a fault beside, and whether that is that they are
    /// pages where something else is wanted.
    fn faults(&self, run: i64) -> Result<HashMap<i64, bool>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT target, max(cause = 'wrong-type') FROM link_fault WHERE run = ?1
             GROUP BY target",
        )?;
        let rows = select.query_map([run], |row| Ok((row.get(0)?, row.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}

/// What is said of fragments, by address and fragment.
type Places = HashMap<i64, HashMap<String, Place>>;

/// What links may have beside their address.
struct Beside {
    places: Places,
    faults: HashMap<i64, bool>,
}

fn not_asked() -> Outcome {
    Outcome {
        verdict: Verdict::Skipped,
        cause: Some(Cause::NotAsked),
        status: None,
        last: None,
        moved_to: None,
        hops: 0,
        scope: None,
        not_read: None,
        checked_at: None,
    }
}

impl Mark {
    fn row(&self, page: Named<'_>, place: pack::Place) -> LinkRow {
        let mut outcome = self.outcome.clone();
        if let Some(own) = self.own(page) {
            (outcome.verdict, outcome.cause) = (own.verdict, own.cause);
        }
        let lacks_place = self.place == Some(Place::Missing);
        LinkRow {
            mark: place.mark,
            address: self.address.to_string(),
            fragment: self.fragment.clone(),
            outcome,
            for_script: self.place == Some(Place::ForScript) || (lacks_place && self.scripted),
            page: page.address.to_owned(),
            line: place.line,
            column: place.column,
            element: self.element.clone(),
            attribute: self.attribute.clone(),
            text: self.text.clone(),
            written: self.written.clone(),
            region: self.region.clone(),
            rel: self.rel.clone(),
            pages: self.pages,
        }
    }

    /// What is said of the link itself, on that page, where it is worse than what is said
    /// of its address.
    fn own(&self, page: Named<'_>) -> Option<Judgement> {
        of_link(&LinkSeen {
            page: page.address,
            title: page.title,
            text: self.text.as_deref(),
            target: &self.address,
            scope: self.outcome.scope,
            element: Element::named(&self.element)?,
            attribute: Attribute::named(&self.attribute)?,
            rel: self.rel.as_deref(),
            written: &self.written,
            scripted: self.scripted,
            verdict: self.outcome.verdict,
            lacks_place: self.place == Some(Place::Missing),
            is_page: self.is_page,
        })
    }
}

fn mark(
    row: &Row<'_>,
    (address, outcome): (&Arc<str>, Outcome),
    place: Option<Place>,
    is_page: bool,
) -> rusqlite::Result<Mark> {
    Ok(Mark {
        address: Arc::clone(address),
        fragment: row.get(2)?,
        element: row.get(3)?,
        attribute: row.get(4)?,
        rel: row.get(5)?,
        written: row.get(6)?,
        text: row.get(7)?,
        region: row.get(8)?,
        scripted: row.get(9)?,
        outcome,
        place,
        is_page,
        pages: 0,
        counted_on: usize::MAX,
    })
}

/// An outcome from the columns of [`OUTCOME_SQL`].
pub(crate) fn outcome(row: &Row<'_>, started_at: Timestamp) -> rusqlite::Result<Outcome> {
    let verdict: String = row.get(0)?;
    let cause: Option<String> = row.get(1)?;
    let last: Option<String> = row.get(3)?;
    let scope: Option<String> = row.get(6)?;
    let checked: Option<i64> = row.get(7)?;
    let not_read: Option<String> = row.get(10)?;
    Ok(Outcome {
        verdict: Verdict::named(&verdict).unwrap_or(Verdict::Doubtful),
        cause: cause.as_deref().and_then(Cause::named),
        status: row.get(2)?,
        last: last.filter(|_| checked.is_some()),
        moved_to: row.get(4)?,
        hops: row.get::<_, Option<u32>>(5)?.unwrap_or_default(),
        scope: scope.map(|scope| match scope.as_str() {
            "internal" => Scope::Internal,
            _ => Scope::External,
        }),
        not_read: not_read.as_deref().and_then(NotRead::named),
        checked_at: checked.map(|micros| started_at + jiff::SignedDuration::from_micros(micros)),
    })
}
