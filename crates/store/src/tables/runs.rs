//! The runs: one row each.

use std::time::Duration;

use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::db::error::StoreError;
use crate::db::row::{timestamp, word};
use crate::model::{RunInfo, RunKind, RunState};

pub(crate) fn run_info(db: &Connection, number: i64) -> Result<Option<RunInfo>, StoreError> {
    run_where(db, "run.id = ?1", [number])
}

pub(crate) fn previous(db: &Connection, run: &RunInfo) -> Result<Option<RunInfo>, StoreError> {
    let condition = "site = ?1 AND run.id < ?2 AND state IN ('stopped', 'finished')
                     ORDER BY run.id DESC LIMIT 1";
    run_where(db, condition, params![run.site, run.number])
}

/// The first run that meets a condition.
pub(crate) fn run_where(
    db: &Connection,
    condition: &str,
    params: impl rusqlite::Params,
) -> Result<Option<RunInfo>, StoreError> {
    let sql = format!(
        "SELECT run.id, site, url, asked_for, title, started_at, took_us, state, run.version,
                bounds, placeholders = 'broken', options, kind, epoch_at, own_fields, rules_version
         FROM run
         JOIN address ON address.id = run.start
         LEFT JOIN run_page ON run_page.run = run.id AND run_page.address = run.start
         LEFT JOIN page_version ON page_version.id = run_page.version
         WHERE {condition}"
    );
    let info = |row: &Row<'_>| {
        Ok(RunInfo {
            number: row.get(0)?,
            site: row.get(1)?,
            start: row.get(2)?,
            given_start: row.get(3)?,
            title: row.get(4)?,
            started_at: timestamp(&row.get::<_, String>(5)?),
            took: Duration::from_micros(row.get::<_, i64>(6)?.cast_unsigned()),
            state: word(row, 7, RunState::named)?,
            version: row.get(8)?,
            bounds: row.get(9)?,
            placeholders_are_broken: row.get(10)?,
            options: row.get(11)?,
            kind: word(row, 12, RunKind::named)?,
            epoch_at: timestamp(&row.get::<_, String>(13)?),
            own_fields: row.get(14)?,
            rules: row.get(15)?,
        })
    };
    Ok(db.query_row(&sql, params, info).optional()?)
}
