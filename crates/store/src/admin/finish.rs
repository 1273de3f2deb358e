//! The end of a run: ranks its pages, updates findings, and queues digests.

use rusqlite::params;

use super::{sites, update};
use crate::db::error::StoreError;
use crate::model::{RunKind, RunState};
use crate::tables::page_order;
use crate::write::RunWriter;

impl RunWriter {
    /// Ends a run that is complete or was stopped, and ranks its pages.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn finish(&mut self, state: RunState) -> Result<(), StoreError> {
        let Some(run) = self.run else { return Ok(()) };
        self.open_transaction()?;
        self.write_entries()?;
        let pages = page_order::compute(&self.db, run)?;
        {
            let mut update = self.db.prepare_cached(
                "UPDATE run_page SET rank = ?3, depth = ?4 WHERE run = ?1 AND address = ?2",
            )?;
            for (rank, page) in pages.iter().enumerate() {
                update.execute(params![run, page.url, rank, page.depth])?;
            }
        }
        self.db
            .prepare_cached("UPDATE run SET state = ?2 WHERE id = ?1")?
            .execute(params![run, state.as_str()])?;
        update::update(&self.db, run, state, &self.notify)?;
        if self.new.kind == RunKind::Recheck {
            let site: String =
                self.db.query_row("SELECT site FROM run WHERE id = ?1", [run], |row| row.get(0))?;
            sites::thin(&self.db, &site)?;
        }
        self.commit()
    }
}
