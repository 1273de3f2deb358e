//! Replaying a run that was stopped or killed, to continue it.

use std::collections::HashMap;
use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::Response;
use rummage_core::evidence::{Attempt, AttemptOutcome, Method};
use rummage_core::extract::reading::Reading;

use crate::codec::entries;
use crate::db::error::StoreError;
use crate::model::{RunInfo, RunKind};
use crate::read::reader::Reader;
use crate::read::restore::Restorer;
use crate::tables::outcomes;

impl Reader {
    /// The last unfinished run of a site.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished(&self) -> Result<RunInfo, StoreError> {
        self.all_unfinished()?.into_iter().next().ok_or(StoreError::NothingToResume)
    }

    /// The last unfinished run over lists, and the lists that it had read.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished_probe(&self) -> Result<(RunInfo, Vec<String>), StoreError> {
        let run = self.last_unfinished(RunKind::Probe)?;
        let mut select = self.db.prepare(
            "SELECT url FROM run_page JOIN address ON address.id = run_page.address
             WHERE run = ?1 AND url LIKE 'file:%' ORDER BY url",
        )?;
        let lists = select.query_map([run.number], |row| row.get(0))?;
        let lists = lists.collect::<Result<Vec<String>, _>>()?;
        Ok((run, lists))
    }

    /// The last unfinished check of single pages.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished_page(&self) -> Result<RunInfo, StoreError> {
        self.last_unfinished(RunKind::Page)
    }

    fn last_unfinished(&self, kind: RunKind) -> Result<RunInfo, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id FROM run WHERE state IN ('going', 'stopped') AND kind = ?1
             ORDER BY id DESC LIMIT 1",
        )?;
        let number = select.query_map([kind.as_str()], |row| row.get(0))?.next().transpose()?;
        self.run(number.ok_or(StoreError::NothingToResume)?)
    }

    /// The unfinished runs of sites, the last one first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn all_unfinished(&self) -> Result<Vec<RunInfo>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id FROM run WHERE state IN ('going', 'stopped')
             AND kind IN ('crawl', 'recheck') ORDER BY id DESC",
        )?;
        let numbers = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
        numbers.into_iter().map(|number| self.run(number)).collect()
    }

    /// Calls `take` with each response of a run and its URL, in the order in which they arrived.
    ///
    /// # Errors
    /// See [`StoreError`]; also those of `take`.
    pub fn for_each_reply(
        &self,
        run: i64,
        mut take: impl FnMut(&str, Response) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let mut select = self.db.prepare("SELECT address, version FROM run_page WHERE run = ?1")?;
        let versions: HashMap<u32, u32> = select
            .query_map([run], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<Result<_, _>>()?;
        let mut pages = Restorer::new(&self.db)?;
        let mut url = self.db.prepare("SELECT url FROM address WHERE id = ?1")?;
        let mut select =
            self.db.prepare("SELECT entries FROM asked WHERE run = ?1 ORDER BY seq")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            for entry in entries::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()) {
                let Some(request) = entry.request else { continue };
                let url: String = url.query_row([entry.url], |row| row.get(0))?;
                let (outcome, title) = outcomes::read(&self.db, request.outcome)?;
                // A page belongs to the last attempt that returned one; earlier ones returned
                // none.
                let may_have_page = request.method == Method::Get
                    && request.hop.is_none()
                    && !request.purpose.is_side()
                    && matches!(&outcome, AttemptOutcome::Response(answer) if answer.is_success());
                let version = versions.get(&entry.url).filter(|_| may_have_page);
                let reading = match version {
                    Some(version) => Some(pages.reading(&self.db, *version)?),
                    None => title.as_deref().map(Reading::of_title),
                };
                let attempt = Attempt {
                    at: Moment::from_micros(request.at_us),
                    took: Duration::from_micros(request.took_us),
                    method: request.method,
                    outcome,
                    hop: request.hop,
                    strained: request.strained,
                    purpose: request.purpose,
                };
                take(&url, Response { attempt, reading })?;
            }
        }
        Ok(())
    }
}
