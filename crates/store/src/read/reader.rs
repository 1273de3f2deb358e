//! Queries on a store. None of them makes requests or changes anything.

use std::path::Path;
use std::sync::Arc;

use rummage_core::findings::waiver::Waivers;
use rusqlite::Connection;

use crate::db::connection;
use crate::db::error::StoreError;
use crate::model::{LastRun, RunInfo};
use crate::tables::request_log::count_requested;
use crate::tables::runs::{previous, run_info, run_where};

/// Reads a store.
#[derive(Debug)]
pub struct Reader {
    pub(crate) db: Connection,
    /// The waivers that apply.
    pub(crate) waivers: Arc<Waivers>,
}

impl Reader {
    /// Opens a store to read. A crawl may be writing to it meanwhile.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn open(path: &Path) -> Result<Reader, StoreError> {
        Ok(Reader { db: connection::open_to_read(path)?, waivers: Arc::default() })
    }

    /// Applies waivers.
    #[must_use]
    pub fn with_waivers(mut self, waivers: Waivers) -> Reader {
        self.waivers = Arc::new(waivers);
        self
    }

    /// The last run.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn last_run(&self) -> Result<RunInfo, StoreError> {
        // A list that was probed in between does not count, unless there is nothing else.
        let order = "TRUE ORDER BY kind = 'probe', run.id DESC LIMIT 1";
        run_where(&self.db, order, [])?.ok_or(StoreError::NoRun)
    }

    /// The last run of a site.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn last_run_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        run_where(&self.db, "site = ?1 ORDER BY run.id DESC LIMIT 1", [site])
    }

    /// The run with this number.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn run(&self, number: i64) -> Result<RunInfo, StoreError> {
        run_info(&self.db, number)?.ok_or(StoreError::NoSuchRun { number })
    }

    /// The run before another, of the same site; a run that was killed does not count.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn run_before(&self, run: &RunInfo) -> Result<Option<RunInfo>, StoreError> {
        previous(&self.db, run)
    }

    /// The last finished run of a site.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn last_finished_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        let condition = "site = ?1 AND state = 'finished' ORDER BY run.id DESC LIMIT 1";
        run_where(&self.db, condition, [site])
    }

    /// The last crawl of a site, finished or not.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn last_crawl_of(&self, site: &str) -> Result<Option<RunInfo>, StoreError> {
        run_where(&self.db, "site = ?1 AND kind = 'crawl' ORDER BY run.id DESC LIMIT 1", [site])
    }

    /// The site that this start URL led to the last time.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn site_of(&self, given_start: &str) -> Result<Option<String>, StoreError> {
        let condition = "run.asked_for = ?1 ORDER BY run.id DESC LIMIT 1";
        Ok(run_where(&self.db, condition, [given_start])?.map(|run| run.site))
    }

    /// All runs, in order.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn runs(&self) -> Result<Vec<RunInfo>, StoreError> {
        let mut select = self.db.prepare("SELECT id FROM run ORDER BY id")?;
        let numbers = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
        numbers.into_iter().map(|number| self.run(number)).collect()
    }

    /// How long the last finished run from this start URL took, and how much it requested.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn last_crawl_from(&self, given_start: &str) -> Result<Option<LastRun>, StoreError> {
        let condition = "run.asked_for = ?1 AND state = 'finished' AND kind = 'crawl' ORDER BY run.id DESC LIMIT 1";
        let Some(run) = run_where(&self.db, condition, [given_start])? else { return Ok(None) };
        let urls = count_requested(&self.db, run.number)?;
        Ok(Some(LastRun { took: run.took, urls }))
    }
}
