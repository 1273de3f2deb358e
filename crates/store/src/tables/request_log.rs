//! The requests of runs, packed, in the order in which they ended.

use std::collections::HashSet;

use rusqlite::Connection;

use crate::codec::entries::{self, Entry};
use crate::db::error::StoreError;

/// Calls `take` with each entry of a run, in order.
pub(crate) fn for_each_entry(
    db: &Connection,
    run: i64,
    mut take: impl FnMut(Entry),
) -> Result<(), StoreError> {
    let mut select = db.prepare_cached("SELECT entries FROM asked WHERE run = ?1 ORDER BY seq")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        entries::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()).for_each(&mut take);
    }
    Ok(())
}

/// How many URLs a run requested, or reused results for.
pub(crate) fn count_requested(db: &Connection, run: i64) -> Result<u64, StoreError> {
    let mut urls = HashSet::new();
    for_each_entry(db, run, |entry| {
        if entry.request.is_some() {
            urls.insert(entry.url);
        }
    })?;
    Ok(urls.len() as u64)
}

/// The last outcome of each URL over all runs, by the number of the URL; 0 for none.
pub(crate) fn last_endings(db: &Connection) -> Result<Vec<u32>, StoreError> {
    let mut last = Vec::new();
    let mut select = db.prepare("SELECT id FROM run ORDER BY id")?;
    let runs = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
    for run in runs {
        for_each_entry(db, run, |entry| {
            let Some(request) = entry.request else { return };
            let at = entry.url as usize;
            if last.len() <= at {
                last.resize(at + 1, 0);
            }
            last[at] = request.outcome;
        })?;
    }
    Ok(last)
}
