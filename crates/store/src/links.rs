//! The links of a run with what is said of their targets, in rank order.

use std::collections::HashMap;

use jiff::Timestamp;
use rummage_core::scope::Scope;
use rummage_core::selection::Selection;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::{Row, params};

use crate::order::{self, Page};
use crate::pack;
use crate::records::{LinkRow, Outcome, RunInfo};
use crate::{Reader, StoreError};

/// What a run says of addresses; `?1` is the run. Its columns begin every row that
/// [`outcome`] reads.
pub(crate) const OUTCOME_SQL: &str = "
    SELECT verdict.verdict, verdict.cause, verdict.status, last.url, moved.url, verdict.hops,
           verdict.scope, verdict.checked_us
    FROM address AS target
    JOIN verdict ON verdict.run = ?1 AND verdict.address = target.id
    JOIN address AS last ON last.id = verdict.final
    LEFT JOIN address AS moved ON moved.id = verdict.moved_to";

/// What a link says, and what is said of it.
struct Mark {
    address: String,
    fragment: Option<String>,
    element: String,
    attribute: String,
    rel: Option<String>,
    written: String,
    text: Option<String>,
    region: Option<String>,
    outcome: Outcome,
    for_script: bool,
    /// On how many pages it stands.
    pages: u64,
    /// The last page on which it was counted.
    counted_on: usize,
}

const MARK_SQL: &str = "
    SELECT verdict.verdict, verdict.cause, verdict.status, last.url, moved.url, verdict.hops,
           verdict.scope, verdict.checked_us,
           mark.id, target.url, mark.fragment, mark.element, mark.attribute, mark.rel,
           mark.written, mark.text, mark.region, no_place.place
    FROM mark
    JOIN address AS target ON target.id = mark.target
    LEFT JOIN verdict ON verdict.run = ?1 AND verdict.address = mark.target
    LEFT JOIN address AS last ON last.id = verdict.final
    LEFT JOIN address AS moved ON moved.id = verdict.moved_to
    LEFT JOIN no_place ON no_place.run = ?1 AND no_place.address = mark.target
        AND no_place.fragment = mark.fragment";

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
        self.walk(&pages, |at, _, place| {
            if let Some(mark) = marks.get_mut(&place.mark)
                && mark.counted_on != at
            {
                mark.counted_on = at;
                mark.pages += 1;
            }
            Ok::<_, E>(())
        })?;
        self.walk(&pages, |_, page, place| match marks.get(&place.mark) {
            Some(mark) => take(mark.row(page, place)),
            None => Ok(()),
        })
    }

    fn walk<E: From<StoreError>>(
        &self,
        pages: &[Page],
        mut take: impl FnMut(usize, &str, pack::Place) -> Result<(), E>,
    ) -> Result<(), E> {
        let mut select = self
            .db
            .prepare_cached(
                "SELECT url, links FROM page_version JOIN address ON address.id = address
                 WHERE page_version.id = ?1",
            )
            .map_err(StoreError::from)?;
        for (at, page) in pages.iter().enumerate() {
            let (url, links): (String, Vec<u8>) = select
                .query_row(params![page.version], |row| Ok((row.get(0)?, row.get(1)?)))
                .map_err(StoreError::from)?;
            for place in pack::unpack(&links) {
                take(at, &url, place)?;
            }
        }
        Ok(())
    }

    fn marks(
        &self,
        run: &RunInfo,
        selection: &Selection,
    ) -> Result<HashMap<i64, Mark>, StoreError> {
        let mut marks = HashMap::new();
        let mut select = self.db.prepare(MARK_SQL)?;
        let mut rows = select.query([run.number])?;
        while let Some(row) = rows.next()? {
            let missing = row.get_ref(17)?.as_str_or_null().unwrap_or_default() == Some("missing");
            let verdict = match row.get_ref(0)?.as_str_or_null().unwrap_or_default() {
                _ if missing => Verdict::Broken,
                Some(name) => Verdict::named(name).unwrap_or(Verdict::Doubtful),
                None => Verdict::Skipped,
            };
            if selection.takes(verdict) {
                marks.insert(row.get(8)?, mark(row, run.started_at, missing)?);
            }
        }
        Ok(marks)
    }
}

impl Mark {
    fn row(&self, page: &str, place: pack::Place) -> LinkRow {
        LinkRow {
            mark: place.mark,
            address: self.address.clone(),
            fragment: self.fragment.clone(),
            outcome: self.outcome.clone(),
            for_script: self.for_script,
            page: page.to_owned(),
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
}

fn mark(row: &Row<'_>, started_at: Timestamp, missing: bool) -> rusqlite::Result<Mark> {
    let mut outcome = outcome(row, 0, started_at)?;
    if missing {
        (outcome.verdict, outcome.cause) = (Verdict::Broken, Some(Cause::NoSuchFragment));
    }
    let place = row.get_ref(17)?.as_str_or_null().unwrap_or_default();
    Ok(Mark {
        address: row.get(9)?,
        fragment: row.get(10)?,
        element: row.get(11)?,
        attribute: row.get(12)?,
        rel: row.get(13)?,
        written: row.get(14)?,
        text: row.get(15)?,
        region: row.get(16)?,
        outcome,
        for_script: place == Some("for-script"),
        pages: 0,
        counted_on: usize::MAX,
    })
}

/// An outcome from eight columns, as [`OUTCOME_SQL`] has them. A target without a
/// verdict was not asked: its run was stopped before.
pub(crate) fn outcome(
    row: &Row<'_>,
    from: usize,
    started_at: Timestamp,
) -> rusqlite::Result<Outcome> {
    let verdict: Option<String> = row.get(from)?;
    let cause: Option<String> = row.get(from + 1)?;
    let scope: Option<String> = row.get(from + 6)?;
    let checked: Option<i64> = row.get(from + 7)?;
    let last: Option<String> = row.get(from + 3)?;
    Ok(Outcome {
        verdict: verdict.as_deref().and_then(Verdict::named).unwrap_or(Verdict::Skipped),
        cause: match verdict {
            None => Some(Cause::NotAsked),
            Some(_) => cause.as_deref().and_then(Cause::named),
        },
        status: row.get(from + 2)?,
        last: last.filter(|_| checked.is_some()),
        moved_to: row.get(from + 4)?,
        hops: row.get::<_, Option<u32>>(from + 5)?.unwrap_or_default(),
        scope: scope.map(|scope| match scope.as_str() {
            "internal" => Scope::Internal,
            _ => Scope::External,
        }),
        checked_at: checked.map(|micros| started_at + jiff::SignedDuration::from_micros(micros)),
    })
}
