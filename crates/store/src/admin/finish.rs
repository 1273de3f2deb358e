//! The end of a run: ranks its pages, updates findings, and queues digests.

use rummage_core::crawl::Note;
use rummage_core::crawl::suspicion::Suspicion;
use rusqlite::params;

use super::{belief, sites, update};
use crate::db::error::StoreError;
use crate::model::{RunKind, RunState};
use crate::tables::runs::run_info;
use crate::tables::{notes, page_order};
use crate::write::RunWriter;

impl RunWriter {
    /// Ends a run that is complete or was stopped, and ranks its pages. Returns its state: a
    /// complete one may not be believed.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn finish(&mut self, state: RunState) -> Result<RunState, StoreError> {
        let Some(run) = self.run else { return Ok(state) };
        self.open_transaction()?;
        self.write_entries()?;
        self.forget_urls();
        let pages = page_order::compute(&self.db, run)?;
        {
            let mut update = self.db.prepare_cached(
                "UPDATE run_page SET rank = ?3, depth = ?4 WHERE run = ?1 AND address = ?2",
            )?;
            for (rank, page) in pages.iter().enumerate() {
                update.execute(params![run, page.url, rank, page.depth])?;
            }
        }
        let state = match self.suspicion(run)?.filter(|_| state == RunState::Finished) {
            Some(suspicion) => {
                let start: u32 =
                    self.db.query_row("SELECT start FROM run WHERE id = ?1", [run], |row| {
                        row.get(0)
                    })?;
                notes::write(&self.db, self.run, start, &Note::Suspicious(suspicion))?;
                RunState::Suspicious
            }
            None => state,
        };
        self.db
            .prepare_cached("UPDATE run SET state = ?2 WHERE id = ?1")?
            .execute(params![run, state.as_str()])?;
        update::update(&self.db, run, state, &self.notify)?;
        if self.new.kind == RunKind::Recheck {
            let site: String =
                self.db.query_row("SELECT site FROM run WHERE id = ?1", [run], |row| row.get(0))?;
            sites::thin(&self.db, &site)?;
        }
        self.commit()?;
        Ok(state)
    }

    fn suspicion(&self, run: i64) -> Result<Option<Suspicion>, StoreError> {
        match run_info(&self.db, run)?.filter(|_| !self.accepts) {
            Some(info) => belief::of_run(&self.db, &info),
            None => Ok(None),
        }
    }
}
