//! Writes a run to a store, event by event.
//!
//! Events go into an open transaction; [`RunWriter::commit`] ends it. The caller commits between
//! replies, so that an attempt and what follows from it are stored together or not at all.
//! Nothing is written before the start URL has responded: a misspelled start URL leaves no run
//! behind.

mod pages;
mod requests;
mod url_log;
mod verdicts;

use std::fs::File;
use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::crawl::{Event, UrlId};
use rummage_core::long_list::LongList;
use rummage_core::url::hashed::Key;
use rummage_core::url::scope::Bounds;
use rummage_core::{Moment, RULES_VERSION};
use rusqlite::{Connection, params};

use crate::db::connection;
use crate::db::error::StoreError;
use crate::model::NotifySettings;
use crate::model::RunKind;
use crate::tables::interning::{InternCache, take};
use crate::tables::notes;
use crate::tables::outcomes::Outcomes;
use crate::tables::request_log::last_endings;
use crate::tables::verdict_spans::VerdictSpans;
use url_log::UrlLog;

/// What is known of a run before it starts.
#[derive(Debug, Clone)]
pub struct NewRun {
    /// The start URL as given.
    pub given_start: String,
    /// The name of the site, if it is not the host of the start URL.
    pub site: Option<String>,
    /// The options, as JSON; without secrets.
    pub options: String,
    /// The options that decide what the run can see, as one text: runs with the same bounds can
    /// be compared in full.
    pub bounds: String,
    /// Placeholder links are broken, not doubtful.
    pub placeholders_are_broken: bool,
    /// The version of Rummage.
    pub version: String,
    /// When the run begins.
    pub started_at: Timestamp,
    /// Its kind.
    pub kind: RunKind,
    /// It sends headers of its own.
    pub own_fields: bool,
    /// The time from which its moments are counted: when it begins, or earlier if it reuses
    /// results of earlier runs.
    pub epoch_at: Timestamp,
}

impl NewRun {
    /// A crawl of this start URL without options, at the beginning of 1970.
    #[must_use]
    pub fn plain(given_start: &str) -> NewRun {
        NewRun {
            given_start: given_start.to_owned(),
            site: None,
            options: "{}".to_owned(),
            bounds: "{}".to_owned(),
            placeholders_are_broken: false,
            version: "0".to_owned(),
            started_at: Timestamp::UNIX_EPOCH,
            kind: RunKind::Crawl,
            own_fields: false,
            epoch_at: Timestamp::UNIX_EPOCH,
        }
    }

    /// How far before its beginning the run's clock starts.
    #[must_use]
    pub fn looked_back(&self) -> Duration {
        self.started_at.duration_since(self.epoch_at).try_into().unwrap_or_default()
    }
}

/// A power failure, or the loss of the log, costs what came later than this before it.
const WRITE_BACK: Duration = Duration::from_secs(5);

/// The only writer of a store.
#[derive(Debug)]
pub struct RunWriter {
    pub(crate) db: Connection,
    pub(crate) new: NewRun,
    /// The run's number, once the start URL has responded.
    pub(crate) run: Option<i64>,
    /// Events from before that.
    early: Vec<Event>,
    /// The run's events are replayed, to restore its state.
    replaying: bool,
    /// Scheme, host and port of the start URL.
    origin: String,
    /// Numbers in the store, by the id in the crawl.
    ids: LongList<u32>,
    /// Hashes of the URLs, likewise.
    hashes: LongList<u64>,
    url_log: UrlLog,
    /// Known as soon as the run has a number.
    spans: Option<VerdictSpans>,
    known: InternCache,
    outcomes: Outcomes,
    last_moment: Moment,
    in_transaction: bool,
    /// When the log was last written back to the file.
    written_back: Option<Moment>,
    pub(crate) notify: NotifySettings,
    /// The result is believed, whatever it is.
    pub(crate) accepts: bool,
    /// Locked while the writer exists: there is one at a time.
    _lock: File,
}

impl RunWriter {
    /// Opens a store for a new run; creates the file if necessary.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn begin(path: &Path, new: NewRun) -> Result<RunWriter, StoreError> {
        let (db, lock) = connection::open_to_write(path)?;
        let known = InternCache::load(&db)?;
        let mut outcomes = Outcomes::load(&db)?;
        outcomes.remember(&db, &last_endings(&db)?)?;
        Ok(RunWriter {
            db,
            new,
            run: None,
            early: Vec::new(),
            replaying: false,
            origin: String::new(),
            ids: LongList::default(),
            hashes: LongList::default(),
            url_log: UrlLog::default(),
            spans: None,
            known,
            outcomes,
            last_moment: Moment::START,
            in_transaction: false,
            written_back: None,
            notify: NotifySettings::default(),
            accepts: false,
            _lock: lock,
        })
    }

    /// Counts the moments of the run from an earlier time than its beginning, because it reuses
    /// results of earlier runs.
    #[must_use]
    pub fn counting_from(mut self, epoch_at: Timestamp) -> RunWriter {
        self.new.epoch_at = epoch_at;
        self
    }

    /// Sets who is notified of changes when the run has ended.
    #[must_use]
    pub fn notify(mut self, notify: NotifySettings) -> RunWriter {
        self.notify = notify;
        self
    }

    /// Believes the result, however suspicious.
    #[must_use]
    pub fn accepting(mut self, accepts: bool) -> RunWriter {
        self.accepts = accepts;
        self
    }

    /// Opens a store to continue its last run. Until
    /// [`handle_replayed`](RunWriter::handle_replayed) reports the end of the replay, what is
    /// stored already is not stored again.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn resume(path: &Path, run: i64, new: NewRun) -> Result<RunWriter, StoreError> {
        let mut writer = RunWriter::begin(path, new)?;
        writer.url_log = UrlLog::of_run(&writer.db, run)?;
        writer.run = Some(run);
        writer.spans = Some(VerdictSpans::of_continued_run(&writer.db, run)?);
        writer.replaying = true;
        writer.load_origin()?;
        writer.db.execute(
            "UPDATE run SET state = 'going', own_fields = own_fields OR ?2 WHERE id = ?1",
            params![run, writer.new.own_fields],
        )?;
        Ok(writer)
    }

    /// The replay is over: from now on everything is new.
    pub fn handle_replayed(&mut self) {
        self.replaying = false;
    }

    /// The run's number, once the start URL has responded.
    #[must_use]
    pub fn run(&self) -> Option<i64> {
        self.run
    }

    /// Writes one event.
    ///
    /// # Errors
    /// See [`StoreError`]. What was committed before stays.
    pub fn handle_event(&mut self, event: Event) -> Result<(), StoreError> {
        if self.run.is_some() {
            return self.write(event);
        }
        if let Event::Bounded { start, bounds } = event {
            let early = std::mem::take(&mut self.early);
            self.open_transaction()?;
            // The start's number in the store is known once its `Discovered` is written.
            let (discovered, others): (Vec<Event>, Vec<Event>) =
                early.into_iter().partition(|event| matches!(event, Event::Discovered { .. }));
            for event in discovered {
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

    /// Nothing more will be written, and what follows takes as much memory.
    pub(crate) fn forget_urls(&mut self) {
        self.known = InternCache::default();
        (self.ids, self.hashes) = (LongList::default(), LongList::default());
        (self.url_log, self.outcomes) = (UrlLog::default(), Outcomes::default());
    }

    /// Commits everything written so far.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn commit(&mut self) -> Result<(), StoreError> {
        if !self.in_transaction {
            return Ok(());
        }
        self.write_entries()?;
        self.db
            .prepare_cached("UPDATE run SET took_us = ?2 WHERE id = ?1")?
            .execute(params![self.run, micros(self.took())])?;
        self.db.execute_batch("COMMIT")?;
        self.in_transaction = false;
        self.write_back()
    }

    /// Writes the log back to the file when the run begins, and at intervals: this is what is left
    /// if the log is lost.
    fn write_back(&mut self) -> Result<(), StoreError> {
        let (run, now) = (self.run, self.last_moment);
        let is_due = |last: Moment| now.since_start() >= last.since_start() + WRITE_BACK;
        if run.is_some() && self.written_back.is_none_or(is_due) {
            // As far as readers permit.
            self.db.pragma(None, "wal_checkpoint", "passive", |_| Ok(()))?;
            self.written_back = Some(now);
        }
        Ok(())
    }

    /// Determines the origin of the start URL, which most links lead to.
    fn load_origin(&mut self) -> Result<(), StoreError> {
        let start: String = self.db.query_row(
            "SELECT url FROM run JOIN address ON address.id = start WHERE run.id = ?1",
            [self.run],
            |row| row.get(0),
        )?;
        let host = start.find("://").map_or(0, |at| at + 3);
        let end = start[host..].find('/').map_or(start.len(), |at| host + at);
        start[..end].clone_into(&mut self.origin);
        Ok(())
    }

    fn took(&self) -> Duration {
        self.last_moment.since_start().saturating_sub(self.new.looked_back())
    }

    pub(crate) fn open_transaction(&mut self) -> Result<(), StoreError> {
        if !self.in_transaction {
            self.db.execute_batch("BEGIN IMMEDIATE")?;
            self.in_transaction = true;
        }
        Ok(())
    }

    fn insert_run(&mut self, start: UrlId, bounds: &Bounds) -> Result<(), StoreError> {
        self.db.execute(
            "INSERT INTO run (site, start, asked_for, options, bounds, version, started_at,
                              placeholders, kind, epoch_at, own_fields, rules_version, state)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, 'going')",
            params![
                self.new.site.clone().unwrap_or_else(|| bounds.name()),
                self.ids[start.index()],
                self.new.given_start,
                self.new.options,
                self.new.bounds,
                self.new.version,
                self.new.started_at.to_string(),
                if self.new.placeholders_are_broken { "broken" } else { "doubtful" },
                self.new.kind.as_str(),
                self.new.epoch_at.to_string(),
                self.new.own_fields,
                RULES_VERSION,
            ],
        )?;
        let run = self.db.last_insert_rowid();
        self.run = Some(run);
        self.spans = Some(VerdictSpans::of_new_run(&self.db, run)?);
        self.load_origin()
    }

    fn write(&mut self, event: Event) -> Result<(), StoreError> {
        self.open_transaction()?;
        match event {
            Event::Discovered { url, .. } => self.write_url(&url),
            Event::Ranked { id, scope } => {
                self.url_log.handle_ranked(id, scope);
                Ok(())
            }
            Event::Requested { id, attempt, title, recalled, .. } => {
                self.write_attempt(id, *attempt, title, recalled)
            }
            Event::Read { id, reading, targets, parts } => {
                self.write_page(id, &reading, &targets, &parts)
            }
            Event::Judged { id, judged } => self.write_verdict(id, &judged),
            Event::NoAnchor { id, fragment, fault } => self.write_no_anchor(id, &fragment, fault),
            Event::Noted { id, note } => {
                notes::write(&self.db, self.run, self.ids[id.index()], &note)
            }
            Event::Slowed { server, slowing } => self.write_slowed(&server, slowing),
            Event::LinkFault { target, page, cause, written } => {
                self.write_link_fault(target, page, cause, &written)
            }
            Event::Bounded { .. } => Ok(()),
        }
    }

    fn write_url(&mut self, url: &str) -> Result<(), StoreError> {
        let key = Key::of_text(url.as_bytes());
        let id = match self.known.urls.get(&key) {
            Some(id) => *id,
            None => {
                let id = take(&mut self.known.next_url);
                self.db
                    .prepare_cached("INSERT INTO address (id, url) VALUES (?1, ?2)")?
                    .execute(params![id, url])?;
                id
            }
        };
        self.ids.push(id);
        self.hashes.push(key.short());
        self.url_log.handle_discovered(id);
        Ok(())
    }
}

fn micros(time: Duration) -> i64 {
    i64::try_from(time.as_micros()).unwrap_or(i64::MAX)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use rummage_core::evidence::{Attempt, AttemptOutcome, Method, ResponseHead};

    use super::*;
    use crate::{Reader, RunState};

    fn discovered(number: usize) -> [Event; 2] {
        let id = UrlId::from_index(number);
        let url = format!("http://a.test/{}/{number}", "long".repeat(50));
        let answer =
            ResponseHead { status: 404, length: Some(number as u64), ..ResponseHead::default() };
        let outcome = AttemptOutcome::Response(answer);
        let attempt = Attempt::new(Moment::START, Duration::from_millis(1), Method::Get, outcome);
        [
            Event::Discovered { id, url },
            Event::Requested {
                id,
                attempt: Box::new(attempt),
                title: None,
                again: false,
                recalled: false,
            },
        ]
    }

    #[test]
    fn a_run_is_in_the_file_even_if_the_log_is_lost() {
        let folder = tempfile::TempDir::new().unwrap();
        let (path, copy) = (folder.path().join("store.db"), folder.path().join("copy.db"));
        let mut writer = RunWriter::begin(&path, NewRun::plain("a.test")).unwrap();
        let start = url::Url::parse("http://a.test/").unwrap();
        let bounds = Bounds::around(&start, &[]);
        let mut urls_in_file = Vec::new();
        for (number, second) in [0, 1, 4, 5, 6].into_iter().enumerate() {
            for mut event in discovered(number) {
                if let Event::Requested { attempt, .. } = &mut event {
                    attempt.at = Moment::START + Duration::from_secs(second);
                }
                writer.handle_event(event).unwrap();
            }
            if number == 0 {
                let start = UrlId::from_index(0);
                writer
                    .handle_event(Event::Bounded { start, bounds: Box::new(bounds.clone()) })
                    .unwrap();
            }
            writer.commit().unwrap();
            std::fs::copy(&path, &copy).unwrap();
            let db = Connection::open(&copy).unwrap();
            let urls = "SELECT count(*) FROM address WHERE EXISTS (SELECT 1 FROM run)";
            urls_in_file.push(db.query_row(urls, [], |row| row.get::<_, i64>(0)).unwrap());
        }
        assert_eq!(urls_in_file, [1, 1, 1, 4, 4]);
    }

    /// SQLite reports that the disk is full.
    #[test]
    fn committed_data_stays_when_the_disk_is_full() {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("store.db");
        let mut writer = RunWriter::begin(&path, NewRun::plain("a.test")).unwrap();
        let start = url::Url::parse("http://a.test/").unwrap();
        let mut events: Vec<Event> = discovered(0).into();
        events.push(Event::Bounded {
            start: UrlId::from_index(0),
            bounds: Box::new(Bounds::around(&start, &[])),
        });
        for event in events {
            writer.handle_event(event).unwrap();
        }
        writer.commit().unwrap();
        let pages: i64 =
            writer.db.pragma_query_value(None, "page_count", |row| row.get(0)).unwrap();
        writer.db.pragma_update(None, "max_page_count", pages + 4).unwrap();
        let full = (1..10_000).find_map(|number| {
            discovered(number).into_iter().find_map(|event| writer.handle_event(event).err())
        });
        assert!(matches!(full, Some(StoreError::DiskFull)), "{full:?}");
        drop(writer);
        let reader = Reader::open(&path).unwrap();
        let run = reader.open_run(reader.last_run().unwrap()).unwrap();
        assert_eq!(run.find("http://a.test/", 9).unwrap().len(), 0, "no verdict was stored");
        assert_eq!(run.info().state, RunState::Going);
        assert_eq!(reader.unfinished().unwrap().number, 1, "it can be continued");
    }
}
