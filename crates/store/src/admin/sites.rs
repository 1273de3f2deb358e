//! The sites of a store and their runs: listing them, and deleting old ones.

use std::collections::HashSet;
use std::path::Path;

use rusqlite::{Connection, params};

use crate::codec::{entries, occurrences};
use crate::db::connection;
use crate::db::error::StoreError;
use crate::findings::changes::changes;
use crate::model::{Changes, RunInfo};
use crate::read::checks;
use crate::read::reader::Reader;
use crate::tables::runs::run_info;
use crate::tables::verdict_spans;

/// A site with its last run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SiteRow {
    /// The last run.
    pub last: RunInfo,
    /// How many runs are stored.
    pub runs: u64,
    /// Pages that the last run parsed.
    pub pages: u64,
    /// How the findings of the last run compare with those of the previous one.
    pub changes: Changes,
}

/// What was deleted.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Pruned {
    /// The runs.
    pub runs: Vec<RunInfo>,
    /// How many bytes smaller the store is.
    pub bytes: u64,
}

impl Reader {
    /// The sites, in order of their names.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn sites(&self) -> Result<Vec<SiteRow>, StoreError> {
        let mut select =
            self.db.prepare("SELECT max(id), count(*) FROM run GROUP BY site ORDER BY site")?;
        let last = select
            .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<Result<Vec<(i64, u64)>, _>>()?;
        let site = |(run, runs): (i64, u64)| self.site_row(self.run(run)?, runs);
        last.into_iter().map(site).collect()
    }

    /// A run with its counts, for an overview.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn site_row(&self, run: RunInfo, runs: u64) -> Result<SiteRow, StoreError> {
        let pages = self.db.query_row(
            "SELECT count(*) FROM run_page JOIN page_version ON page_version.id = version
             WHERE run = ?1 AND format IN ('html', 'xhtml')",
            [run.number],
            |row| row.get(0),
        )?;
        Ok(SiteRow { changes: changes(&self.db, &run, &self.waivers)?, last: run, runs, pages })
    }
}

/// Deletes all but the last runs of each site, or of one, with everything that only they needed.
///
/// # Errors
/// See [`StoreError`].
pub fn prune(
    path: &Path,
    keep: u32,
    site: Option<&str>,
    dry_run: bool,
) -> Result<Pruned, StoreError> {
    let reader = Reader::open(path)?;
    let mut runs = Vec::new();
    let mut seen: Vec<(String, u32)> = Vec::new();
    for run in reader.runs()?.into_iter().rev() {
        if site.is_some_and(|site| site != run.site) {
            continue;
        }
        let kept = match seen.iter_mut().find(|(site, _)| *site == run.site) {
            Some((_, kept)) => kept,
            None => {
                seen.push((run.site.clone(), 0));
                &mut seen.last_mut().expect("it was just pushed").1
            }
        };
        *kept += 1;
        if *kept > keep {
            runs.push(run);
        }
    }
    drop(reader);
    runs.reverse();
    if dry_run || runs.is_empty() {
        return Ok(Pruned { runs, bytes: 0 });
    }
    let before = size(path);
    let (mut db, _lock) = connection::open_to_write(path)?;
    let transaction = db.transaction()?;
    for run in &runs {
        forget(&transaction, run.number)?;
    }
    sweep(&transaction)?;
    transaction.commit()?;
    db.execute_batch("VACUUM; PRAGMA wal_checkpoint(TRUNCATE)")?;
    Ok(Pruned { runs, bytes: before.saturating_sub(size(path)) })
}

/// How many rechecks of each site are kept completely.
const RECHECKS: u32 = 10;

/// Deletes a site's rechecks except the last ones, because a patrol makes many. When they checked
/// which URLs is kept: the intervals between checks depend on it.
pub(crate) fn thin(db: &Connection, site: &str) -> Result<(), StoreError> {
    let mut select = db.prepare(
        "SELECT id FROM run WHERE site = ?1 AND kind = 'recheck' AND state <> 'going'
         ORDER BY id DESC LIMIT -1 OFFSET ?2",
    )?;
    let old = select
        .query_map(params![site, RECHECKS], |row| row.get(0))?
        .collect::<Result<Vec<i64>, _>>()?;
    for number in old {
        if let Some(run) = run_info(db, number)? {
            checks::keep(db, &run)?;
        }
        forget(db, number)?;
    }
    Ok(())
}

fn size(path: &Path) -> u64 {
    std::fs::metadata(path).map_or(0, |file| file.len())
}

fn forget(db: &Connection, run: i64) -> Result<(), StoreError> {
    verdict_spans::forget(db, run)?;
    for table in ["run_page", "asked", "no_place", "link_fault", "slowed", "note"] {
        db.execute(&format!("DELETE FROM {table} WHERE run = ?1"), [run])?;
    }
    db.execute("DELETE FROM run WHERE id = ?1", [run])?;
    // A finding that outlived that run keeps the time when it was found first.
    db.execute("DELETE FROM finding WHERE until_run = ?1", [run])?;
    Ok(())
}

/// Deletes what no run needs any more: page versions, link contents, outcomes. URLs stay:
/// findings refer to them, and they take little space.
fn sweep(db: &Connection) -> Result<(), StoreError> {
    db.execute_batch("DELETE FROM page_version WHERE id NOT IN (SELECT version FROM run_page)")?;
    let mut contents = HashSet::new();
    let mut select = db.prepare("SELECT links FROM page_version")?;
    let mut rows = select.query([])?;
    while let Some(row) = rows.next()? {
        let links = row.get_ref(0)?.as_blob().unwrap_or_default();
        contents.extend(occurrences::unpack(links).map(|place| place.content));
    }
    let mut select = db.prepare("SELECT first, count FROM mark")?;
    let rows = select
        .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?
        .collect::<Result<Vec<(u32, u32)>, _>>()?;
    for (first, count) in rows {
        if !(first..first + count).any(|content| contents.contains(&content)) {
            db.prepare_cached("DELETE FROM mark WHERE first = ?1")?.execute([first])?;
            db.prepare_cached("DELETE FROM mark_text WHERE first = ?1")?.execute([first])?;
        }
    }
    drop(contents);
    let mut outcomes = HashSet::new();
    let mut select = db.prepare("SELECT entries FROM asked")?;
    let mut rows = select.query([])?;
    while let Some(row) = rows.next()? {
        let entries = entries::unpack(row.get_ref(0)?.as_blob().unwrap_or_default());
        outcomes.extend(entries.filter_map(|entry| entry.request).map(|request| request.outcome));
    }
    let mut select = db.prepare("SELECT id FROM ending")?;
    let ids =
        select.query_map([], |row| row.get(0))?.collect::<Result<Vec<u32>, rusqlite::Error>>()?;
    for id in ids.into_iter().filter(|id| !outcomes.contains(id)) {
        db.prepare_cached("DELETE FROM ending WHERE id = ?1")?.execute(params![id])?;
    }
    Ok(())
}
