//! Verdicts, each with the runs that have it: what stays as it was takes no room.
//!
//! A span covers the runs of one site from one to another, with all of its runs between them. The
//! spans of a URL do not overlap, and begin and end with runs that exist.

use rusqlite::types::ToSql;
use rusqlite::{Connection, OptionalExtension as _, Transaction, TransactionBehavior, params};

use crate::db::error::StoreError;

/// A verdict that is not simply sound. Numbers are those of URLs.
#[derive(Debug, Clone, Copy)]
pub(crate) struct VerdictRow {
    pub(crate) address: u32,
    pub(crate) scope: Option<&'static str>,
    pub(crate) verdict: &'static str,
    pub(crate) cause: Option<&'static str>,
    pub(crate) status: Option<u16>,
    pub(crate) next: Option<u32>,
    /// `None`, if it is the URL itself.
    pub(crate) last: Option<u32>,
    pub(crate) hops: u32,
    pub(crate) moved_to: Option<u32>,
    pub(crate) requested: bool,
    pub(crate) not_read: Option<&'static str>,
    pub(crate) linked: bool,
}

/// Writes the verdicts of a run, which no later run of its site shares.
#[derive(Debug, Clone, Copy)]
pub(crate) struct VerdictSpans {
    series: i64,
    run: i64,
    /// The run of the site before.
    previous: Option<i64>,
}

impl VerdictSpans {
    /// Of a new run: it belongs to the series of its site.
    pub(crate) fn of_new_run(db: &Connection, run: i64) -> Result<VerdictSpans, StoreError> {
        db.execute(
            "UPDATE run SET series = coalesce(
                 (SELECT series FROM run AS other WHERE other.site = run.site AND id <> ?1), ?1)
             WHERE id = ?1",
            [run],
        )?;
        VerdictSpans::of(db, run)
    }

    /// Of a run that is continued. There may be later ones: they keep what they have.
    pub(crate) fn of_continued_run(db: &Connection, run: i64) -> Result<VerdictSpans, StoreError> {
        let spans = VerdictSpans::of(db, run)?;
        if let Some(later) = run_after(db, spans.series, run)? {
            // Both changes or none: after a kill between them, a later run would have two verdicts
            // of a URL.
            let both = Transaction::new_unchecked(db, TransactionBehavior::Immediate)?;
            let split = params![spans.series, run, later];
            db.execute(
                "INSERT INTO verdict_span
                 SELECT series, address, ?3, until, scope, verdict, cause, status, next, final,
                        hops, moved_to, requested, not_read, linked
                 FROM verdict_span WHERE series = ?1 AND since <= ?2 AND until >= ?3",
                split,
            )?;
            db.execute(
                "UPDATE verdict_span SET until = ?2
                 WHERE series = ?1 AND since <= ?2 AND until >= ?3",
                split,
            )?;
            both.commit()?;
        }
        Ok(spans)
    }

    fn of(db: &Connection, run: i64) -> Result<VerdictSpans, StoreError> {
        let series = series_of(db, run)?.unwrap_or(run);
        let previous = run_before(db, series, run)?;
        Ok(VerdictSpans { series, run, previous })
    }

    /// Writes a verdict. `again`: the URL has another one in this run, which no longer counts.
    pub(crate) fn write(
        &self,
        db: &Connection,
        row: &VerdictRow,
        again: bool,
    ) -> Result<(), StoreError> {
        if again {
            self.withdraw(db, row.address)?;
        }
        if self.extend(db, row)? {
            return Ok(());
        }
        let (run, values) = (self.run, row.values());
        let mut all: Vec<&dyn ToSql> = vec![&self.series, &row.address, &run, &run];
        all.extend(values);
        db.prepare_cached(
            "INSERT INTO verdict_span VALUES
                 (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15)",
        )?
        .execute(all.as_slice())?;
        Ok(())
    }

    /// If the run before had the same verdict, this one has it too.
    fn extend(&self, db: &Connection, row: &VerdictRow) -> Result<bool, StoreError> {
        let Some(previous) = &self.previous else { return Ok(false) };
        let mut all: Vec<&dyn ToSql> = vec![&self.series, &row.address, previous, &self.run];
        all.extend(row.values());
        let extended = db
            .prepare_cached(
                "UPDATE verdict_span SET until = ?4
                 WHERE series = ?1 AND address = ?2 AND since <= ?3 AND until = ?3
                     AND scope IS ?5 AND verdict = ?6 AND cause IS ?7 AND status IS ?8
                     AND next IS ?9 AND final IS ?10 AND hops = ?11 AND moved_to IS ?12
                     AND requested = ?13 AND not_read IS ?14 AND linked = ?15",
            )?
            .execute(all.as_slice())?;
        Ok(extended > 0)
    }

    /// The URL has no verdict in this run any more.
    fn withdraw(&self, db: &Connection, address: u32) -> Result<(), StoreError> {
        let of_url = params![self.series, address, self.run];
        db.prepare_cached(
            "DELETE FROM verdict_span WHERE series = ?1 AND address = ?2 AND since = ?3",
        )?
        .execute(of_url)?;
        if let Some(previous) = self.previous {
            db.prepare_cached(
                "UPDATE verdict_span SET until = ?4
                 WHERE series = ?1 AND address = ?2 AND until = ?3",
            )?
            .execute(params![self.series, address, self.run, previous])?;
        }
        Ok(())
    }
}

impl VerdictRow {
    /// All but the URL, in the order of the columns.
    fn values(&self) -> [&dyn ToSql; 11] {
        [
            &self.scope,
            &self.verdict,
            &self.cause,
            &self.status,
            &self.next,
            &self.last,
            &self.hops,
            &self.moved_to,
            &self.requested,
            &self.not_read,
            &self.linked,
        ]
    }
}

/// Deletes the verdicts of a run that is about to be deleted itself.
pub(crate) fn forget(db: &Connection, run: i64) -> Result<(), StoreError> {
    let Some(series) = series_of(db, run)? else { return Ok(()) };
    db.execute(
        "DELETE FROM verdict_span WHERE series = ?1 AND since = ?2 AND until = ?2",
        [series, run],
    )?;
    if let Some(previous) = run_before(db, series, run)? {
        db.execute(
            "UPDATE verdict_span SET until = ?3 WHERE series = ?1 AND until = ?2",
            [series, run, previous],
        )?;
    }
    if let Some(later) = run_after(db, series, run)? {
        db.execute(
            "UPDATE verdict_span SET since = ?3 WHERE series = ?1 AND since = ?2",
            [series, run, later],
        )?;
    }
    Ok(())
}

fn series_of(db: &Connection, run: i64) -> Result<Option<i64>, StoreError> {
    let select = "SELECT series FROM run WHERE id = ?1";
    Ok(db.query_row(select, [run], |row| row.get(0)).optional()?)
}

fn run_before(db: &Connection, series: i64, run: i64) -> Result<Option<i64>, StoreError> {
    let select = "SELECT max(id) FROM run WHERE series = ?1 AND id < ?2";
    Ok(db.query_row(select, [series, run], |row| row.get(0))?)
}

fn run_after(db: &Connection, series: i64, run: i64) -> Result<Option<i64>, StoreError> {
    let select = "SELECT min(id) FROM run WHERE series = ?1 AND id > ?2";
    Ok(db.query_row(select, [series, run], |row| row.get(0))?)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;
    use crate::db::connection::in_memory;

    /// What is done to a store.
    #[derive(Debug, Clone)]
    enum Step {
        /// A run of one of two sites begins.
        Begin(bool),
        /// The open run judges a URL.
        Judge { address: u32, status: u16 },
        /// A run is continued, by position.
        Continue(usize),
        /// A run that is not open is deleted, by position.
        Forget(usize),
    }

    fn step() -> impl Strategy<Value = Step> {
        prop_oneof![
            2 => prop::bool::weighted(0.8).prop_map(Step::Begin),
            9 => (1u32..4, 404u16..406).prop_map(|(address, status)| Step::Judge { address, status }),
            1 => (0usize..9).prop_map(Step::Continue),
            1 => (0usize..9).prop_map(Step::Forget),
        ]
    }

    fn row(address: u32, status: u16) -> VerdictRow {
        VerdictRow {
            address,
            scope: Some("internal"),
            verdict: "broken",
            cause: Some("not-found"),
            status: Some(status),
            next: None,
            last: None,
            hops: 0,
            moved_to: None,
            requested: true,
            not_read: None,
            linked: true,
        }
    }

    fn insert_run(db: &Connection, site: &str) -> i64 {
        db.execute(
            "INSERT INTO run (site, start, asked_for, options, bounds, placeholders, version,
                 rules_version, kind, epoch_at, own_fields, started_at, state)
             VALUES (?1, 1, '', '', '', '', '', 1, 'crawl', '', 0, '', 'going')",
            [site],
        )
        .unwrap();
        db.last_insert_rowid()
    }

    fn by_run(db: &Connection) -> BTreeMap<(i64, u32), u16> {
        let mut select = db.prepare("SELECT run, address, status FROM verdict").unwrap();
        let rows = select
            .query_map([], |row| Ok(((row.get(0)?, row.get(1)?), row.get(2)?)))
            .unwrap()
            .collect::<Result<Vec<_>, _>>()
            .unwrap();
        let known = rows.len();
        let by_run: BTreeMap<_, _> = rows.into_iter().collect();
        assert_eq!(by_run.len(), known, "two verdicts of a URL in a run");
        by_run
    }

    fn count(db: &Connection) -> u32 {
        db.query_row("SELECT count(*) FROM verdict_span", [], |row| row.get(0)).unwrap()
    }

    proptest! {
        /// Whatever happens to runs, each has the verdicts that were written in it.
        #[test]
        fn each_run_has_its_own_verdicts(steps in prop::collection::vec(step(), 0..60)) {
            let db = in_memory();
            let mut model: BTreeMap<(i64, u32), u16> = BTreeMap::new();
            let mut runs: Vec<i64> = Vec::new();
            let mut open: Option<VerdictSpans> = None;
            for step in steps {
                match step {
                    Step::Begin(site) => {
                        let run = insert_run(&db, if site { "a.test" } else { "b.test" });
                        open = Some(VerdictSpans::of_new_run(&db, run).unwrap());
                        runs.push(run);
                    }
                    Step::Judge { address, status } => {
                        let Some(spans) = &open else { continue };
                        let again = model.insert((spans.run, address), status).is_some();
                        spans.write(&db, &row(address, status), again).unwrap();
                    }
                    Step::Continue(at) => {
                        let Some(run) = runs.get(at) else { continue };
                        open = Some(VerdictSpans::of_continued_run(&db, *run).unwrap());
                    }
                    Step::Forget(at) => {
                        let Some(run) = runs.get(at).copied() else { continue };
                        runs.remove(at);
                        forget(&db, run).unwrap();
                        db.execute("DELETE FROM run WHERE id = ?1", [run]).unwrap();
                        model.retain(|(of, _), _| *of != run);
                        open = None;
                    }
                }
                prop_assert_eq!(by_run(&db), model.clone());
            }
        }
    }

    #[test]
    fn what_stays_takes_no_room() {
        let db = in_memory();
        for _ in 0..3 {
            let run = insert_run(&db, "a.test");
            let spans = VerdictSpans::of_new_run(&db, run).unwrap();
            // Doubtful at first, and then as in the run before.
            spans.write(&db, &row(1, 405), false).unwrap();
            spans.write(&db, &row(1, 404), true).unwrap();
            spans.write(&db, &row(2, 404), false).unwrap();
        }
        assert_eq!((count(&db), by_run(&db).len()), (2, 6));
        let other = insert_run(&db, "b.test");
        let spans = VerdictSpans::of_new_run(&db, other).unwrap();
        spans.write(&db, &row(1, 404), false).unwrap();
        assert_eq!((count(&db), by_run(&db).len()), (3, 7), "another site has its own");
    }
}
