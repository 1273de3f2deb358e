//! The requests of a run, and the URLs that are simply sound, until they are packed.

use std::collections::HashMap;

use rummage_core::crawl::UrlId;
use rummage_core::long_list::LongList;
use rummage_core::url::scope::Scope;
use rusqlite::Connection;

use crate::codec::entries::{Entry, Requested};
use crate::db::error::StoreError;
use crate::tables::request_log::for_each_entry;

/// What is known of one URL in this run.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct UrlRecord {
    pub(super) scope: Option<Scope>,
    pub(super) is_requested: bool,
    /// It is among those that are simply sound.
    pub(super) is_sound: bool,
    /// It has a row with its verdict.
    pub(super) has_row: bool,
    /// One more than the position of its request among those that are not packed yet; 0 for none.
    waiting: u32,
}

/// The requests of a run that are not packed yet, and the state of all URLs.
#[derive(Debug, Default)]
pub(super) struct UrlLog {
    entries: Vec<Entry>,
    next_seq: i64,
    /// By the id in the crawl.
    seen: LongList<UrlRecord>,
    /// The state before the run was stopped, by number in the store.
    earlier: HashMap<u32, UrlRecord>,
}

impl UrlLog {
    /// Loads the state of a run that is continued.
    pub(super) fn of_run(db: &Connection, run: i64) -> Result<UrlLog, StoreError> {
        let mut log = UrlLog::default();
        for_each_entry(db, run, |entry| {
            log.next_seq += 1;
            if entry.sound.is_some() {
                log.earlier.entry(entry.url).or_default().is_sound = true;
            }
        })?;
        let mut select = db.prepare("SELECT address FROM verdict WHERE run = ?1")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            log.earlier.entry(row.get(0)?).or_default().has_row = true;
        }
        Ok(log)
    }

    pub(super) fn handle_discovered(&mut self, url: u32) {
        self.seen.push(self.earlier.get(&url).copied().unwrap_or_default());
    }

    pub(super) fn handle_ranked(&mut self, id: UrlId, scope: Option<Scope>) {
        self.seen[id.index()].scope = scope;
    }

    pub(super) fn seen_mut(&mut self, id: UrlId) -> &mut UrlRecord {
        &mut self.seen[id.index()]
    }

    /// A request has ended.
    pub(super) fn handle_request(&mut self, id: UrlId, url: u32, request: Requested) {
        let seen = &mut self.seen[id.index()];
        seen.is_requested = true;
        self.entries.push(Entry { url, request: Some(request), sound: None });
        seen.waiting = u32::try_from(self.entries.len()).unwrap_or_default();
    }

    /// Takes what is not packed yet, and its number.
    pub(super) fn take(&mut self) -> Option<(i64, Vec<Entry>)> {
        let entries = std::mem::take(&mut self.entries);
        let seq = self.next_seq;
        self.next_seq += i64::try_from(entries.len()).unwrap_or(i64::MAX);
        (!entries.is_empty()).then_some((seq, entries))
    }

    /// The URL is simply sound.
    pub(super) fn handle_sound(&mut self, id: UrlId, url: u32) {
        let seen = &mut self.seen[id.index()];
        let sound = Some(seen.scope.unwrap_or(Scope::Internal));
        seen.is_sound = true;
        let waiting = seen.waiting.checked_sub(1).and_then(|at| self.entries.get_mut(at as usize));
        // The position may refer to entries that have been packed since.
        match waiting.filter(|entry| entry.url == url) {
            Some(entry) => entry.sound = sound,
            None => self.entries.push(Entry { url, request: None, sound }),
        }
    }
}
