//! Verdicts on URLs, links and servers.

use rummage_core::crawl::pace::Slowing;
use rummage_core::crawl::{FragmentFault, Judged, NotParsed, UrlId};
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::params;

use super::RunWriter;
use crate::db::error::StoreError;
use crate::tables::verdict_spans::VerdictRow;

/// Whether a verdict only says that the URL responded, directly and with 200.
fn is_plain(id: UrlId, judged: &Judged) -> bool {
    *judged == Judged::without_hops(id, Verdict::Sound, None, Some(200))
}

impl RunWriter {
    /// Most URLs are simply sound, and take one bit in their request. Any other verdict takes a
    /// row, and so does a second one after that.
    pub(super) fn write_verdict(&mut self, id: UrlId, judged: &Judged) -> Result<(), StoreError> {
        let seen = *self.url_log.seen_mut(id);
        if is_plain(id, judged) && !seen.has_row {
            if !seen.is_sound {
                self.url_log.handle_sound(id, self.ids[id.index()]);
            }
            return Ok(());
        }
        self.url_log.seen_mut(id).has_row = true;
        let of = |id: UrlId| self.ids[id.index()];
        let row = VerdictRow {
            address: of(id),
            scope: seen.scope.map(Scope::as_str),
            verdict: judged.verdict.as_str(),
            cause: judged.cause.map(Cause::as_str),
            status: judged.status,
            next: judged.next.map(of),
            last: Some(judged.last).filter(|last| *last != id).map(of),
            hops: judged.hops,
            moved_to: judged.moved_to.map(of),
            requested: seen.is_requested && judged.verdict != Verdict::Skipped,
            not_read: judged.not_parsed.map(NotParsed::as_str),
            linked: judged.linked,
        };
        match &self.spans {
            Some(spans) => spans.write(&self.db, &row, seen.has_row),
            None => Ok(()),
        }
    }

    pub(super) fn write_no_anchor(
        &mut self,
        id: UrlId,
        fragment: &str,
        fault: FragmentFault,
    ) -> Result<(), StoreError> {
        let fault = fault.as_str();
        self.db
            .prepare_cached(
                "INSERT OR REPLACE INTO no_place (run, address, fragment, place)
                 VALUES (?1, ?2, ?3, ?4)",
            )?
            .execute(params![self.run, self.ids[id.index()], fragment, fault])?;
        Ok(())
    }

    pub(super) fn write_slowed(
        &mut self,
        server: &str,
        slowing: Slowing,
    ) -> Result<(), StoreError> {
        self.db
            .prepare_cached(
                "INSERT INTO slowed (run, server, times, strain, lowest, gap_ms)
                 VALUES (?1, ?2, 1, ?3, ?4, ?5)
                 ON CONFLICT DO UPDATE SET times = times + 1, strain = excluded.strain,
                     lowest = min(lowest, excluded.lowest), gap_ms = max(gap_ms, excluded.gap_ms)",
            )?
            .execute(params![
                self.run,
                server,
                slowing.strain.as_str(),
                slowing.window,
                u64::try_from(slowing.gap.as_millis()).unwrap_or(u64::MAX),
            ])?;
        Ok(())
    }

    pub(super) fn write_link_fault(
        &mut self,
        target: UrlId,
        page: UrlId,
        cause: Cause,
        written: &str,
    ) -> Result<(), StoreError> {
        self.db
            .prepare_cached(
                "INSERT OR IGNORE INTO link_fault (run, target, page, cause, written)
                 VALUES (?1, ?2, ?3, ?4, ?5)",
            )?
            .execute(params![
                self.run,
                self.ids[target.index()],
                self.ids[page.index()],
                cause.as_str(),
                written,
            ])?;
        Ok(())
    }
}
