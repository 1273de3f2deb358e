//! How the findings of a run compare with those of the previous run.

use std::collections::HashSet;
use std::sync::Arc;

use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::Standing;
use rummage_core::findings::waiver::{Facts, Waivers};
use rummage_core::verdict::Cause;
use rusqlite::{Connection, params};

use crate::db::error::StoreError;
use crate::db::row::{optional_word, text, word};
use crate::model::{Changes, RunInfo};
use crate::read::open::OpenRun;
use crate::tables::findings::target_of_row;

/// Counts how the findings of a run compare with those of the previous run, without waived ones.
pub(crate) fn changes(
    db: &Connection,
    run: &RunInfo,
    waivers: &Waivers,
) -> Result<Changes, StoreError> {
    let mut counted: HashSet<(Change, TargetIdentity<u32>)> = HashSet::new();
    let mut select = db.prepare(
        "SELECT target, fragment, cause, trim(written), standing, first_run, until_run,
                CASE WHEN ?3 THEN (SELECT url FROM address WHERE id = page) END,
                CASE WHEN ?3 THEN (SELECT url FROM address WHERE id = target) END,
                CASE WHEN ?3 THEN (SELECT url FROM verdict JOIN address ON address.id = final
                                   WHERE run = ?2 AND verdict.address = target) END,
                status,
                EXISTS (SELECT * FROM run_page WHERE run = ?2 AND address = page),
                EXISTS (SELECT * FROM verdict WHERE run = ?2 AND address = target
                        AND verdict.verdict = 'skipped')
         FROM finding
         WHERE site = ?1 AND first_run <= ?2 AND verdict <> 'moved'
             AND (until_run IS NULL OR until_run >= ?2)",
    )?;
    let mut rows = select.query(params![run.site, run.number, !waivers.is_empty()])?;
    let mut changes = Changes::default();
    let mut present = HashSet::new();
    while let Some(row) = rows.next()? {
        if !waivers.is_empty() && is_waived(row, waivers)? {
            continue;
        }
        let (first, until): (i64, Option<i64>) = (row.get(5)?, row.get(6)?);
        let news = match word(row, 4, Standing::named)? {
            _ if until == Some(run.number) => Change::Healed,
            _ if first < run.number => Change::Still,
            Standing::New => Change::Broke,
            Standing::Returned => Change::Returned,
            _ => Change::Unseen,
        };
        let target = target_of_row(row)?;
        // A finding stays open while nobody looks; the totals of a run count what it saw.
        let (read, skipped): (bool, bool) = (row.get(11)?, row.get(12)?);
        let is_of_link = optional_word(row, 2, Cause::named)?.is_some_and(Cause::is_of_link);
        let seen = read && (is_of_link || !skipped);
        if seen && news != Change::Healed {
            present.insert(target.clone());
        }
        if counted.insert((news, target)) {
            *news.count(&mut changes) += 1;
        }
    }
    changes.passing = passing(db, run, waivers, &present)?;
    changes.broken_and_doubtful = present.len() as u64 + changes.passing;
    Ok(changes)
}

/// Counts the targets with a momentary cause, except waived ones and those that were findings
/// before.
fn passing(
    db: &Connection,
    run: &RunInfo,
    waivers: &Waivers,
    present: &HashSet<TargetIdentity<u32>>,
) -> Result<u64, StoreError> {
    let mut urls = HashSet::new();
    let mut select = db.prepare(
        "SELECT address, cause FROM verdict
         WHERE run = ?1 AND linked AND verdict = 'doubtful' AND cause IS NOT NULL",
    )?;
    let mut rows = select.query([run.number])?;
    while let Some(row) = rows.next()? {
        let url: u32 = row.get(0)?;
        if word(row, 1, Cause::named)?.is_momentary()
            && !present.contains(&TargetIdentity::Url(url))
        {
            urls.insert(url);
        }
    }
    if !urls.is_empty() && !waivers.is_empty() {
        let open = OpenRun::new(db, run.clone())?.with_waivers(Arc::new(waivers.clone()));
        for (waived, _) in open.waived_targets()? {
            urls.remove(&waived.0);
        }
    }
    Ok(urls.len() as u64)
}

/// How a finding has changed since the previous run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Change {
    Broke,
    Returned,
    Healed,
    Still,
    Unseen,
}

impl Change {
    fn count(self, changes: &mut Changes) -> &mut u64 {
        match self {
            Change::Broke => &mut changes.broke,
            Change::Returned => &mut changes.returned,
            Change::Healed => &mut changes.healed,
            Change::Still => &mut changes.open,
            Change::Unseen => &mut changes.unseen,
        }
    }
}

fn is_waived(row: &rusqlite::Row<'_>, waivers: &Waivers) -> Result<bool, StoreError> {
    let url = text(row, 8)?.unwrap_or_default();
    let with_fragment = match text(row, 1)? {
        Some(fragment) => format!("{url}#{fragment}"),
        None => url.to_owned(),
    };
    Ok(waivers.hold(&Facts {
        page: text(row, 7)?.unwrap_or_default(),
        target: &with_fragment,
        cause: optional_word(row, 2, Cause::named)?,
        status: row.get(10)?,
        last: text(row, 9)?.unwrap_or(url),
    }))
}
