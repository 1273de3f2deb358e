//! Requests as they end, until they are packed.

use rummage_core::crawl::UrlId;
use rummage_core::evidence::Attempt;
use rusqlite::params;

use super::RunWriter;
use crate::codec::entries::{self, Requested};
use crate::db::error::StoreError;

impl RunWriter {
    pub(super) fn write_attempt(
        &mut self,
        id: UrlId,
        attempt: Attempt,
        title: Option<String>,
        recalled: bool,
    ) -> Result<(), StoreError> {
        self.last_moment = self.last_moment.max(attempt.at);
        let at_us = attempt.at.as_micros();
        self.url_log.seen_mut(id).is_requested = true;
        if self.replaying {
            return Ok(());
        }
        let url = self.ids[id.index()];
        let outcome = self.outcomes.id(&self.db, url, &attempt.outcome, title)?;
        let request = Requested {
            at_us,
            took_us: u64::try_from(attempt.took.as_micros()).unwrap_or(u64::MAX),
            method: attempt.method,
            outcome,
            strained: attempt.strained,
            hop: attempt.hop,
            recalled,
            purpose: attempt.purpose,
        };
        self.url_log.handle_request(id, url, request);
        Ok(())
    }

    /// Packs the requests since the last call.
    pub(crate) fn write_entries(&mut self) -> Result<(), StoreError> {
        let Some((seq, entries)) = self.url_log.take() else { return Ok(()) };
        self.db
            .prepare_cached("INSERT INTO asked (run, seq, entries) VALUES (?1, ?2, ?3)")?
            .execute(params![self.run, seq, entries::pack(&entries)])?;
        Ok(())
    }
}
