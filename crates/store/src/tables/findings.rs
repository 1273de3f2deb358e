//! The findings across the runs of a site: one row for as long as a finding is present.

use std::collections::HashMap;

use jiff::Timestamp;
use rummage_core::findings::compare::is_wrong;
use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::Standing;
use rummage_core::url::hashed::Key;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::{Connection, params};

use super::interning::texts_key;
use crate::db::error::StoreError;
use crate::db::row::{optional_word, text, timestamp, word};
use crate::model::{History, RunInfo};

/// What makes a finding the same in another run: page, target, element, and whether it is broken
/// or has only moved.
pub(crate) fn key(
    page: u32,
    target: u32,
    fragment: Option<&str>,
    element: &str,
    verdict: Verdict,
) -> Key {
    texts_key(&[page, target, u32::from(is_wrong(verdict))], [fragment, Some(element)])
}

/// The same, from a row with the columns page, target, fragment, element, verdict.
pub(crate) fn key_of_row(row: &rusqlite::Row<'_>) -> Result<Key, StoreError> {
    let verdict = word(row, 4, Verdict::named)?;
    Ok(key(row.get(0)?, row.get(1)?, text(row, 2)?, text(row, 3)?.unwrap_or_default(), verdict))
}

/// The run that found something first, and its standing then.
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
                standing: word(row, 7, Standing::named)?,
            };
            by_key.insert(key_of_row(row)?, first);
        }
        // Findings refer to runs that have been deleted.
        let earliest = db.query_row(
            "SELECT min(number) FROM (SELECT min(id) AS number FROM run WHERE site = ?1
                 UNION ALL SELECT min(first_run) FROM finding WHERE site = ?1)",
            [&run.site],
            |row| row.get(0),
        )?;
        Ok(Histories { run: run.number, earliest, by_key })
    }

    pub(crate) fn of(&self, key: Key) -> Option<History> {
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

/// The identity of the target in a row with the columns target, fragment, cause, written.
pub(crate) fn target_of_row(row: &rusqlite::Row<'_>) -> Result<TargetIdentity<u32>, StoreError> {
    let cause = optional_word(row, 2, Cause::named)?;
    TargetIdentity::of(row.get(0)?, cause, || {
        let owned = |column| Ok::<_, StoreError>(text(row, column)?.map(str::to_owned));
        Ok((owned(1)?, owned(3)?.unwrap_or_default()))
    })
}
