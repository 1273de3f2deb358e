//! The requests of a run, and who is plainly sound, until they are packed.

use std::collections::HashMap;

use rummage_core::crawl::UrlId;
use rummage_core::evidence::Attempt;
use rummage_core::url::scope::Scope;
use rusqlite::{Connection, params};

use super::RunWriter;
use crate::StoreError;
use crate::pack::entries::{self, Entry, Requested};

/// What is known of one address in this run.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Seen {
    pub(super) scope: Option<Scope>,
    /// When it was asked last, in microseconds from the start.
    pub(super) at_us: Option<u64>,
    /// It stands among those that are plainly sound.
    pub(super) is_sound: bool,
    /// It has a row among the verdicts.
    pub(super) has_row: bool,
    /// Its request among those that are not packed yet.
    waiting: Option<u32>,
}

/// The requests of a run that are not packed yet, and what is known of all addresses.
#[derive(Debug, Default)]
pub(super) struct Asked {
    entries: Vec<Entry>,
    next_seq: i64,
    /// By the id in the crawl.
    seen: Vec<Seen>,
    /// What the run said before it was stopped, by the id in the store.
    earlier: HashMap<u32, Seen>,
}

impl Asked {
    /// What a run that goes on had asked and said.
    pub(super) fn of_run(db: &Connection, run: i64) -> Result<Asked, StoreError> {
        let mut asked = Asked::default();
        for_each_entry(db, run, |entry| {
            asked.next_seq += 1;
            if entry.sound.is_some() {
                asked.earlier.entry(entry.address).or_default().is_sound = true;
            }
        })?;
        let mut select = db.prepare("SELECT address FROM verdict WHERE run = ?1")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            asked.earlier.entry(row.get(0)?).or_default().has_row = true;
        }
        Ok(asked)
    }

    pub(super) fn handle_heard(&mut self, address: u32) {
        self.seen.push(self.earlier.get(&address).copied().unwrap_or_default());
    }

    pub(super) fn handle_placed(&mut self, id: UrlId, scope: Option<Scope>) {
        self.seen[id.index()].scope = scope;
    }

    pub(super) fn seen_mut(&mut self, id: UrlId) -> &mut Seen {
        &mut self.seen[id.index()]
    }

    /// The address is plainly sound.
    pub(super) fn handle_sound(&mut self, id: UrlId, address: u32) {
        let seen = &mut self.seen[id.index()];
        let sound = Some(seen.scope.unwrap_or(Scope::Internal));
        seen.is_sound = true;
        let waiting = seen.waiting.and_then(|at| self.entries.get_mut(at as usize));
        // The place may be one of entries that are packed by now.
        match waiting.filter(|entry| entry.address == address) {
            Some(entry) => entry.sound = sound,
            None => self.entries.push(Entry { address, request: None, sound }),
        }
    }
}

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
        self.asked.seen_mut(id).at_us = Some(at_us);
        if self.replaying {
            return Ok(());
        }
        let address = self.ids[id.index()];
        let ending = self.endings.id(&self.db, address, &attempt.ending, title)?;
        let request = Requested {
            at_us,
            took_us: u64::try_from(attempt.took.as_micros()).unwrap_or(u64::MAX),
            method: attempt.method,
            ending,
            strained: attempt.strained,
            hop: attempt.hop,
            recalled,
            purpose: attempt.purpose,
        };
        let place = u32::try_from(self.asked.entries.len()).ok();
        self.asked.seen_mut(id).waiting = place;
        self.asked.entries.push(Entry { address, request: Some(request), sound: None });
        Ok(())
    }

    /// Packs what was asked since this was called last.
    pub(super) fn write_entries(&mut self) -> Result<(), StoreError> {
        if self.asked.entries.is_empty() {
            return Ok(());
        }
        self.db
            .prepare_cached("INSERT INTO asked (run, seq, entries) VALUES (?1, ?2, ?3)")?
            .execute(params![self.run, self.asked.next_seq, entries::pack(&self.asked.entries)])?;
        self.asked.next_seq += i64::try_from(self.asked.entries.len()).unwrap_or(i64::MAX);
        self.asked.entries.clear();
        Ok(())
    }
}

/// Gives each entry of a run, in their order.
pub(crate) fn for_each_entry(
    db: &Connection,
    run: i64,
    mut take: impl FnMut(Entry),
) -> Result<(), StoreError> {
    let mut select = db.prepare_cached("SELECT entries FROM asked WHERE run = ?1 ORDER BY seq")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        entries::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()).for_each(&mut take);
    }
    Ok(())
}

/// The last ending of each address over all runs, by the id of the address; 0 for none.
pub(super) fn last_endings(db: &Connection) -> Result<Vec<u32>, StoreError> {
    let mut last = Vec::new();
    let mut select = db.prepare("SELECT id FROM run ORDER BY id")?;
    let runs = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
    for run in runs {
        for_each_entry(db, run, |entry| {
            let Some(request) = entry.request else { return };
            let at = entry.address as usize;
            if last.len() <= at {
                last.resize(at + 1, 0);
            }
            last[at] = request.ending;
        })?;
    }
    Ok(last)
}
