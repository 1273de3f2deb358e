//! Questions to a store. None of them asks the network, and none changes anything.

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::findings::waiver::Waivers;
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::records::{RunInfo, RunKind, RunState};
use crate::{StoreError, connection};

/// One of the readers of a store.
#[derive(Debug)]
pub struct Reader {
    pub(crate) db: Connection,
    /// What is set aside in all that is read.
    pub(crate) waivers: Arc<Waivers>,
}

impl Reader {
    /// Opens a store to read. A crawl may be writing to it meanwhile.
    ///
    /// # Errors
    /// When there is none, or it is not one of ours or of a newer version.
    pub fn open(path: &Path) -> Result<Reader, StoreError> {
        Ok(Reader { db: connection::open_to_read(path)?, waivers: Arc::default() })
    }

    /// Has findings set aside.
    #[must_use]
    pub fn with_waivers(mut self, waivers: Waivers) -> Reader {
        self.waivers = Arc::new(waivers);
        self
    }

    /// The last run.
    ///
    /// # Errors
    /// When there is no run yet, or the store cannot be read.
    pub fn last_run(&self) -> Result<RunInfo, StoreError> {
        // A list that was probed between is not meant, unless there is nothing else.
        let order = "TRUE ORDER BY kind = 'probe', run.id DESC LIMIT 1";
        run_where(&self.db, order, [])?.ok_or(StoreError::NoRun)
    }

    /// The last run of a site.
    ///
    /// # Errors
    /// When there is none, or the store cannot be read.
    pub fn last_run_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        run_where(&self.db, "site = ?1 ORDER BY run.id DESC LIMIT 1", [site])
    }

    /// The run of that number.
    ///
    /// # Errors
    /// When there is none, or the store cannot be read.
    pub fn run(&self, number: i64) -> Result<RunInfo, StoreError> {
        run_info(&self.db, number)?.ok_or(StoreError::NoSuchRun { number })
    }

    /// The run before another, of the same site; one that was killed does not count.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn run_before(&self, run: &RunInfo) -> Result<Option<RunInfo>, StoreError> {
        previous(&self.db, run)
    }

    /// The last run of a site that came to its end.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn last_finished_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        let condition = "site = ?1 AND state = 'finished' ORDER BY run.id DESC LIMIT 1";
        run_where(&self.db, condition, [site])
    }

    /// The last crawl of a site, whether it came to its end or not.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn last_crawl_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        run_where(&self.db, "site = ?1 AND kind = 'crawl' ORDER BY run.id DESC LIMIT 1", [site])
    }

    /// The site that this start led to the last time.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn site_of(&self, asked_for: &str) -> Result<Option<String>, StoreError> {
        let condition = "run.asked_for = ?1 ORDER BY run.id DESC LIMIT 1";
        Ok(run_where(&self.db, condition, [asked_for])?.map(|run| run.site))
    }

    /// All runs, in their order.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn runs(&self) -> Result<Vec<RunInfo>, StoreError> {
        let mut select = self.db.prepare("SELECT id FROM run ORDER BY id")?;
        let numbers = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
        numbers.into_iter().map(|number| self.run(number)).collect()
    }

    /// How long the last finished run of this start took.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn last_time(&self, asked_for: &str) -> Result<Option<Duration>, StoreError> {
        let condition = "run.asked_for = ?1 AND state = 'finished' AND kind = 'crawl' ORDER BY run.id DESC LIMIT 1";
        Ok(run_where(&self.db, condition, [asked_for])?.map(|run| run.took))
    }
}

pub(crate) fn run_info(db: &Connection, number: i64) -> Result<Option<RunInfo>, StoreError> {
    run_where(db, "run.id = ?1", [number])
}

pub(crate) fn previous(db: &Connection, run: &RunInfo) -> Result<Option<RunInfo>, StoreError> {
    let condition = "site = ?1 AND run.id < ?2 AND state <> 'going' ORDER BY run.id DESC LIMIT 1";
    run_where(db, condition, params![run.site, run.number])
}

fn run_where(
    db: &Connection,
    condition: &str,
    params: impl rusqlite::Params,
) -> Result<Option<RunInfo>, StoreError> {
    let sql = format!(
        "SELECT run.id, site, url, asked_for, title, started_at, took_us, state, run.version,
                bounds, placeholders = 'broken', options, kind, epoch_at, own_fields
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
            asked_for: row.get(3)?,
            title: row.get(4)?,
            started_at: timestamp(&row.get::<_, String>(5)?),
            took: Duration::from_micros(row.get::<_, i64>(6)?.cast_unsigned()),
            state: RunState::named(&row.get::<_, String>(7)?),
            version: row.get(8)?,
            bounds: row.get(9)?,
            placeholders_are_broken: row.get(10)?,
            options: row.get(11)?,
            kind: RunKind::named(&row.get::<_, String>(12)?),
            epoch_at: timestamp(&row.get::<_, String>(13)?),
            own_fields: row.get(14)?,
        })
    };
    Ok(db.query_row(&sql, params, info).optional()?)
}

/// A text of a row, without copying it; `None` for what is none.
pub(crate) fn text<'a>(row: &'a Row<'_>, column: usize) -> Result<Option<&'a str>, StoreError> {
    Ok(row.get_ref(column)?.as_str_or_null().unwrap_or_default())
}

/// A time that we wrote; the start of time for one that we did not.
pub(crate) fn timestamp(text: &str) -> Timestamp {
    text.parse().unwrap_or_default()
}
