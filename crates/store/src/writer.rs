//! Adds one run to a store, event by event.
//!
//! Events go into an open transaction; [`RunWriter::commit`] ends it. The caller
//! commits between replies, so that an attempt and what follows from it are kept
//! together or not at all. Nothing is written before the start was reached: a
//! misspelt start leaves no run behind.

use std::fs::File;
use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::Moment;
use rummage_core::crawl::{AddressId, Event, Judged, NotRead, Place, Target};
use rummage_core::outcome::Attempt;
use rummage_core::pace::Slowing;
use rummage_core::reading::{Link, Reading};
use rummage_core::scope::{Bounds, Scope};
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::{Connection, params};
use xxhash_rust::xxh3::xxh3_128;

use crate::known::{Known, mark_key, next_id, version_key};
use crate::records::RunState;
use crate::{StoreError, connection, notes, order, pack};

/// What is known of a run before it starts.
#[derive(Debug, Clone)]
pub struct NewRun {
    /// The start as it was given.
    pub asked_for: String,
    /// The options that were given, as JSON; no secrets.
    pub options: String,
    /// The version of the tool.
    pub version: String,
    /// When the run begins.
    pub started_at: Timestamp,
}

/// The one writer of a store. See the [module](self).
#[derive(Debug)]
pub struct RunWriter {
    db: Connection,
    new: NewRun,
    /// The run's number, once the start was reached.
    run: Option<i64>,
    /// Events from before that.
    early: Vec<Event>,
    /// The run's events are told once more, to find the way back in.
    replaying: bool,
    /// Ids in the store, by the id in the crawl.
    ids: Vec<i64>,
    scopes: Vec<Option<Scope>>,
    /// When each address was asked last, by the id in the crawl.
    asked: Vec<Option<Moment>>,
    known: Known,
    next_seq: i64,
    last_moment: Moment,
    in_transaction: bool,
    /// Held for as long as the writer lives: there is one at a time.
    _lock: File,
}

impl RunWriter {
    /// Opens a store for a new run; makes the file if need be.
    ///
    /// # Errors
    /// When the file cannot be made, is not a store, is of a newer version, or is
    /// being written by another run.
    pub fn begin(path: &Path, new: NewRun) -> Result<RunWriter, StoreError> {
        let (db, lock) = connection::open_to_write(path)?;
        let known = Known::load(&db)?;
        Ok(RunWriter {
            db,
            new,
            run: None,
            early: Vec::new(),
            replaying: false,
            ids: Vec::new(),
            scopes: Vec::new(),
            asked: Vec::new(),
            known,
            next_seq: 0,
            last_moment: Moment::START,
            in_transaction: false,
            _lock: lock,
        })
    }

    /// Opens a store to go on with its last run. Until
    /// [`handle_replayed`](RunWriter::handle_replayed) says that the replay is
    /// over, what is stored already is not stored again.
    ///
    /// # Errors
    /// As [`begin`](RunWriter::begin), and when there is no such run.
    pub fn resume(path: &Path, run: i64, new: NewRun) -> Result<RunWriter, StoreError> {
        let mut writer = RunWriter::begin(path, new)?;
        let found = writer.db.query_row(
            "SELECT coalesce(max(seq), -1) + 1 FROM attempt WHERE run = ?1",
            [run],
            |row| row.get(0),
        )?;
        writer.next_seq = found;
        writer.run = Some(run);
        writer.replaying = true;
        writer.db.execute("UPDATE run SET state = 'going' WHERE id = ?1", [run])?;
        Ok(writer)
    }

    /// The replay is over: from now on everything is new.
    pub fn handle_replayed(&mut self) {
        self.replaying = false;
    }

    /// The run's number, once the start was reached.
    #[must_use]
    pub fn run(&self) -> Option<i64> {
        self.run
    }

    /// Takes one event.
    ///
    /// # Errors
    /// When the store cannot be written. What was committed stays.
    pub fn handle_event(&mut self, event: Event) -> Result<(), StoreError> {
        if self.run.is_some() {
            return self.write(event);
        }
        if let Event::Bounded { start, bounds } = event {
            let early = std::mem::take(&mut self.early);
            self.open_transaction()?;
            // The start's id in the store is known once its `Heard` is written.
            let (heard, others): (Vec<Event>, Vec<Event>) =
                early.into_iter().partition(|event| matches!(event, Event::Heard { .. }));
            for event in heard {
                self.write(event)?;
            }
            self.insert_run(start, &bounds)?;
            for event in others {
                self.write(event)?;
            }
        } else {
            self.early.push(event);
        }
        Ok(())
    }

    /// Keeps for good what has come so far.
    ///
    /// # Errors
    /// When the store cannot be written.
    pub fn commit(&mut self) -> Result<(), StoreError> {
        if !self.in_transaction {
            return Ok(());
        }
        self.db
            .prepare_cached("UPDATE run SET took_us = ?2 WHERE id = ?1")?
            .execute(params![self.run, micros(self.last_moment.since_start())])?;
        self.db.execute_batch("COMMIT")?;
        self.in_transaction = false;
        Ok(())
    }

    /// The run has ended, or was stopped: puts its pages in order.
    ///
    /// # Errors
    /// When the store cannot be written.
    pub fn finish(&mut self, state: RunState) -> Result<(), StoreError> {
        let Some(run) = self.run else { return Ok(()) };
        self.open_transaction()?;
        let pages = order::compute(&self.db, run)?;
        {
            let mut update = self.db.prepare_cached(
                "UPDATE run_page SET rank = ?3, depth = ?4 WHERE run = ?1 AND address = ?2",
            )?;
            for (rank, page) in pages.iter().enumerate() {
                update.execute(params![run, page.address, rank, page.depth])?;
            }
        }
        self.db
            .prepare_cached("UPDATE run SET state = ?2 WHERE id = ?1")?
            .execute(params![run, state.as_str()])?;
        self.commit()
    }

    fn open_transaction(&mut self) -> Result<(), StoreError> {
        if !self.in_transaction {
            self.db.execute_batch("BEGIN IMMEDIATE")?;
            self.in_transaction = true;
        }
        Ok(())
    }

    fn insert_run(&mut self, start: AddressId, bounds: &Bounds) -> Result<(), StoreError> {
        self.db.execute(
            "INSERT INTO run (site, start, asked_for, options, version, started_at, state)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, 'going')",
            params![
                bounds.name(),
                self.ids[start.index()],
                self.new.asked_for,
                self.new.options,
                self.new.version,
                self.new.started_at.to_string(),
            ],
        )?;
        self.run = Some(self.db.last_insert_rowid());
        Ok(())
    }

    fn write(&mut self, event: Event) -> Result<(), StoreError> {
        self.open_transaction()?;
        match event {
            Event::Heard { address, .. } => self.write_address(&address),
            Event::Placed { id, scope } => {
                self.scopes[id.index()] = scope;
                Ok(())
            }
            Event::Asked { id, attempt, title, .. } => self.write_attempt(id, &attempt, title),
            Event::Read { id, reading, targets } => self.write_page(id, &reading, &targets),
            Event::Judged { id, judged } => self.write_verdict(id, &judged),
            Event::NoPlace { id, fragment, place } => self.write_no_place(id, &fragment, place),
            Event::Noted { id, note } => {
                notes::write(&self.db, self.run, self.ids[id.index()], &note)
            }
            Event::Slowed { server, slowing } => self.write_slowed(&server, slowing),
            Event::LinkFault { target, page, cause } => self.write_link_fault(target, page, cause),
            Event::Bounded { .. } => Ok(()),
        }
    }

    fn write_address(&mut self, address: &str) -> Result<(), StoreError> {
        let key = xxh3_128(address.as_bytes());
        let id = match self.known.addresses.get(&key) {
            Some(id) => *id,
            None => {
                let id = next_id(&self.known.addresses);
                self.db
                    .prepare_cached("INSERT INTO address (id, url) VALUES (?1, ?2)")?
                    .execute(params![id, address])?;
                self.known.addresses.insert(key, id);
                id
            }
        };
        self.ids.push(id);
        self.scopes.push(None);
        self.asked.push(None);
        Ok(())
    }

    fn write_attempt(
        &mut self,
        id: AddressId,
        attempt: &Attempt,
        title: Option<String>,
    ) -> Result<(), StoreError> {
        self.asked[id.index()] = Some(attempt.at);
        self.last_moment = self.last_moment.max(attempt.at);
        if self.replaying {
            return Ok(());
        }
        let ending = serde_json::to_string(&attempt.ending).expect("endings are plain data");
        self.db
            .prepare_cached(
                "INSERT INTO attempt (run, seq, address, at_us, took_us, method, ending, title,
                                      hop, strained)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
            )?
            .execute(params![
                self.run,
                self.next_seq,
                self.ids[id.index()],
                micros(attempt.at.since_start()),
                micros(attempt.took),
                attempt.method.as_str(),
                ending,
                title,
                attempt.hop,
                attempt.strained,
            ])?;
        self.next_seq += 1;
        Ok(())
    }

    fn write_page(
        &mut self,
        id: AddressId,
        reading: &Reading,
        targets: &[Target],
    ) -> Result<(), StoreError> {
        if self.replaying {
            return Ok(());
        }
        let address = self.ids[id.index()];
        let hash = reading.hash();
        let key = version_key(address, &hash.to_be_bytes());
        let version = match self.known.versions.get(&key) {
            Some(version) => *version,
            None => self.write_version(address, hash, key, reading, targets)?,
        };
        self.db
            .prepare_cached(
                "INSERT OR REPLACE INTO run_page (run, address, version) VALUES (?1, ?2, ?3)",
            )?
            .execute(params![self.run, address, version])?;
        Ok(())
    }

    fn write_version(
        &mut self,
        address: i64,
        hash: u128,
        key: u128,
        reading: &Reading,
        targets: &[Target],
    ) -> Result<i64, StoreError> {
        let places = self.write_marks(reading, targets)?;
        let ids: Vec<u8> =
            reading.places().hashes().iter().flat_map(|hash| hash.to_le_bytes()).collect();
        let version = next_id(&self.known.versions);
        self.db
            .prepare_cached(
                "INSERT INTO page_version
                     (id, address, hash, title, base, cut, places, link_count, links,
                      format, encoding, faulty, scripted, sketch, rules)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15)",
            )?
            .execute(params![
                version,
                address,
                hash.to_be_bytes(),
                reading.title(),
                reading.base(),
                reading.cut,
                ids,
                places.len(),
                pack::pack(&places),
                reading.format.as_str(),
                reading.encoding.name(),
                reading.faulty,
                reading.scripted,
                reading.sketch.map(pack::sketch),
                reading.rules(),
            ])?;
        self.known.versions.insert(key, version);
        Ok(version)
    }

    /// Keeps what the links of a page say, as far as it is new, and gives where they stand.
    fn write_marks(
        &mut self,
        reading: &Reading,
        targets: &[Target],
    ) -> Result<Vec<pack::Place>, StoreError> {
        let mut insert = self.db.prepare_cached(
            "INSERT INTO mark (id, target, element, attribute, written, fragment, text, rel, region,
                               scripted)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        )?;
        let mut places = Vec::with_capacity(targets.len());
        for (link, target) in reading.links().zip(targets) {
            let address = self.ids[target.id.index()];
            let texts = texts(&link, target);
            let new = next_id(&self.known.marks);
            let mark = *self.known.marks.entry(mark_key(address, texts)).or_insert(new);
            if mark == new {
                let [element, attribute, written, fragment, text, rel, region, _] = texts;
                insert.execute(params![
                    mark,
                    address,
                    element,
                    attribute,
                    written,
                    fragment,
                    text,
                    rel,
                    region,
                    link.scripted
                ])?;
            }
            places.push(pack::Place { mark, line: link.line, column: link.column });
        }
        Ok(places)
    }

    fn write_verdict(&mut self, id: AddressId, judged: &Judged) -> Result<(), StoreError> {
        let of = |id: AddressId| self.ids[id.index()];
        self.db
            .prepare_cached(
                "INSERT OR REPLACE INTO verdict (run, address, scope, verdict, cause, status,
                     next, final, hops, moved_to, checked_us, not_read, linked)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13)",
            )?
            .execute(params![
                self.run,
                of(id),
                self.scopes[id.index()].map(Scope::as_str),
                judged.verdict.as_str(),
                judged.cause.map(Cause::as_str),
                judged.status,
                judged.next.map(of),
                of(judged.last),
                judged.hops,
                judged.moved_to.map(of),
                self.asked[id.index()]
                    .filter(|_| judged.verdict != Verdict::Skipped)
                    .map(|moment| micros(moment.since_start())),
                judged.not_read.map(NotRead::as_str),
                judged.linked,
            ])?;
        Ok(())
    }

    fn write_no_place(
        &mut self,
        id: AddressId,
        fragment: &str,
        place: Place,
    ) -> Result<(), StoreError> {
        let place = match place {
            Place::Missing => "missing",
            Place::ForScript => "for-script",
        };
        self.db
            .prepare_cached(
                "INSERT OR REPLACE INTO no_place (run, address, fragment, place)
                 VALUES (?1, ?2, ?3, ?4)",
            )?
            .execute(params![self.run, self.ids[id.index()], fragment, place])?;
        Ok(())
    }

    fn write_slowed(&mut self, server: &str, slowing: Slowing) -> Result<(), StoreError> {
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

    fn write_link_fault(
        &mut self,
        target: AddressId,
        page: AddressId,
        cause: Cause,
    ) -> Result<(), StoreError> {
        self.db
            .prepare_cached(
                "INSERT OR IGNORE INTO link_fault (run, target, page, cause)
                 VALUES (?1, ?2, ?3, ?4)",
            )?
            .execute(params![
                self.run,
                self.ids[target.index()],
                self.ids[page.index()],
                cause.as_str()
            ])?;
        Ok(())
    }
}

/// What a link says, in the order of the columns.
fn texts<'a>(link: &Link<'a>, target: &'a Target) -> [Option<&'a str>; 8] {
    [
        Some(link.element.name()),
        Some(link.attribute.name()),
        Some(link.written),
        target.fragment.as_deref(),
        link.text,
        link.rel,
        link.region.map(|region| region.as_str()),
        link.scripted.then_some("scripted"),
    ]
}

fn micros(time: Duration) -> i64 {
    i64::try_from(time.as_micros()).unwrap_or(i64::MAX)
}
