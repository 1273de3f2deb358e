//! Results of earlier runs, for a run that can reuse them.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::Moment;
use rummage_core::crawl::Response;
use rummage_core::evidence::{AttemptOutcome, Method, ResponseHead, Validators};
use rummage_core::extract::reading::Reading;
use rummage_core::url::hashed::Key;
use rusqlite::{Connection, Row};

use crate::db::error::StoreError;
use crate::model::{RunInfo, StoredUrl};
use crate::read::reader::Reader;
use crate::read::restore::Restorer;
use crate::tables::evidence::Evidence;

/// Results of earlier runs, by URL.
#[derive(Debug)]
pub struct Memory {
    reader: Reader,
    /// The start of the new run's clock.
    epoch_at: Timestamp,
    known: HashMap<Key, (u32, i64)>,
    seen: HashMap<i64, RunRecord>,
    /// Pages that were parsed, and can be requested conditionally.
    pages: HashMap<Key, (u32, i64)>,
    restorer: RefCell<Restorer>,
}

/// The results of one run.
#[derive(Debug)]
struct RunRecord {
    epoch_at: Timestamp,
    evidence: Evidence,
    versions: HashMap<u32, u32>,
}

impl Memory {
    /// Everything a run knows, except about some URLs.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn of_run(
        reader: Reader,
        run: &RunInfo,
        epoch_at: Timestamp,
        but: &HashSet<String>,
    ) -> Result<Memory, StoreError> {
        let mut urls = Vec::new();
        crate::tables::request_log::for_each_entry(&reader.db, run.number, |entry| {
            if entry.request.is_some() {
                urls.push((StoredUrl(entry.url), run.number));
            }
        })?;
        let mut memory = Memory::of(reader, &urls, epoch_at)?;
        for url in but {
            memory.known.remove(&Key::of_text(url.as_bytes()));
        }
        Ok(memory)
    }

    /// What runs know about these URLs.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn of(
        reader: Reader,
        urls: &[(StoredUrl, i64)],
        epoch_at: Timestamp,
    ) -> Result<Memory, StoreError> {
        let restorer = RefCell::new(Restorer::new(&reader.db)?);
        let mut memory = Memory {
            reader,
            epoch_at,
            known: HashMap::new(),
            seen: HashMap::new(),
            pages: HashMap::new(),
            restorer,
        };
        let mut wanted: HashMap<i64, Vec<bool>> = HashMap::new();
        for (url, run) in urls {
            let of_run = wanted.entry(*run).or_default();
            if of_run.len() <= url.index() {
                of_run.resize(url.index() + 1, false);
            }
            of_run[url.index()] = true;
            let key = key(&memory.reader.db, *url)?;
            memory.known.insert(key, (url.0, *run));
        }
        for (run, wanted) in wanted {
            let is_needed = |url: u32| wanted.get(url as usize).copied().unwrap_or_default();
            let seen = RunRecord::of_run(&memory.reader, run, is_needed)?;
            memory.seen.insert(run, seen);
        }
        Ok(memory)
    }

    /// The pages of a run, and nothing else.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn of_pages(reader: Reader, run: i64) -> Result<Memory, StoreError> {
        Memory::of(reader, &[], Timestamp::UNIX_EPOCH)?.with_pages(run)
    }

    /// The run whose pages are known, if there is one.
    #[must_use]
    pub fn run_of_pages(&self) -> Option<i64> {
        self.pages.values().next().map(|(_, run)| *run)
    }

    /// Adds the pages of a run that can be requested conditionally, because their server sent
    /// validators.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn with_pages(mut self, run: i64) -> Result<Memory, StoreError> {
        let versions = versions(&self.reader.db, run)?;
        self.pages.extend(keys_of_pages(&self.reader.db, run)?);
        // What is known about other URLs of that run stays known.
        let known: HashSet<u32> = self.known.values().map(|(url, _)| *url).collect();
        let is_needed = |url: u32| versions.contains_key(&url) || known.contains(&url);
        let seen = RunRecord::of_run(&self.reader, run, is_needed)?;
        self.seen.insert(run, seen);
        Ok(self)
    }

    /// The validators of a page; `None` if its server sent none, or the page was not parsed.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn validators(&self, url: &str) -> Result<Option<Validators>, StoreError> {
        Ok(self.answer(url)?.map(|(answer, _)| answer).and_then(|answer| {
            let ResponseHead { etag, last_modified, .. } = answer;
            let any = etag.is_some() || last_modified.is_some();
            any.then_some(Validators { etag, last_modified })
        }))
    }

    /// The response for a page when it was parsed, and its contents.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn page(&self, url: &str) -> Result<Option<(ResponseHead, Reading)>, StoreError> {
        // One transaction for the many reads of a page; none between pages, so that the
        // write-ahead log does not grow forever meanwhile.
        let reading = self.reader.db.unchecked_transaction()?;
        let Some((answer, version)) = self.answer(url)? else { return Ok(None) };
        let page = self.reading(version)?;
        reading.commit()?;
        Ok(Some((answer, page)))
    }

    fn answer(&self, url: &str) -> Result<Option<(ResponseHead, u32)>, StoreError> {
        let Some((url, run)) = self.pages.get(&Key::of_text(url.as_bytes())) else {
            return Ok(None);
        };
        let Some(seen) = self.seen.get(run) else { return Ok(None) };
        let Some(version) = seen.versions.get(url) else { return Ok(None) };
        let (attempts, _) = seen.evidence.attempts(&self.reader.db, *url)?;
        let last = attempts
            .into_iter()
            .rfind(|attempt| attempt.method == Method::Get && !attempt.purpose.is_side());
        Ok(last.and_then(|attempt| match attempt.outcome {
            AttemptOutcome::Response(answer) if answer.is_success() && !answer.truncated => {
                Some((answer, *version))
            }
            _ => None,
        }))
    }

    /// The evidence of the last requests for a URL, in order; empty if nothing is known.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn recall(&self, url: &str) -> Result<Vec<Response>, StoreError> {
        let Some((url, run)) = self.known.get(&Key::of_text(url.as_bytes())) else {
            return Ok(Vec::new());
        };
        let Some(seen) = self.seen.get(run) else { return Ok(Vec::new()) };
        let (mut attempts, title) = seen.evidence.attempts(&self.reader.db, *url)?;
        // Redirect chains with cookies, and side requests, are requested anew.
        attempts.retain(|attempt| attempt.hop.is_none() && !attempt.purpose.is_side());
        // Its GET was never made, because the server was given up before.
        let by_head = attempts.last().is_some_and(|last| last.method == Method::Head);
        if by_head && !self.was_sound(*url, *run)? {
            return Ok(Vec::new());
        }
        let mut replies = Vec::with_capacity(attempts.len());
        for mut attempt in attempts {
            let success =
                matches!(&attempt.outcome, AttemptOutcome::Response(answer) if answer.is_success());
            let may_have_page = success && attempt.method == Method::Get;
            let version = seen.versions.get(url).filter(|_| may_have_page);
            let reading = match version {
                Some(version) => Some(self.reading(*version)?),
                None => title.as_deref().map(Reading::of_title),
            };
            attempt.at = self.moment(seen.epoch_at, attempt.at);
            replies.push(Response { attempt, reading });
        }
        Ok(replies)
    }

    fn was_sound(&self, url: u32, run: i64) -> Result<bool, StoreError> {
        let other = "SELECT 1 FROM verdict WHERE run = ?1 AND address = ?2 AND verdict <> 'sound'";
        Ok(!self.reader.db.prepare_cached(other)?.exists((run, url))?)
    }

    fn reading(&self, version: u32) -> Result<Reading, StoreError> {
        self.restorer.borrow_mut().reading(&self.reader.db, version)
    }

    /// Converts a moment of an earlier run to one of the new run.
    fn moment(&self, epoch_at: Timestamp, at: Moment) -> Moment {
        let between = epoch_at.duration_since(self.epoch_at).as_micros();
        let micros = i128::from(at.as_micros()) + between;
        Moment::from_micros(u64::try_from(micros).unwrap_or_default())
    }
}

impl RunRecord {
    fn of_run(
        reader: &Reader,
        run: i64,
        is_needed: impl Fn(u32) -> bool,
    ) -> Result<RunRecord, StoreError> {
        Ok(RunRecord {
            epoch_at: reader.run(run)?.epoch_at,
            evidence: Evidence::of_run(&reader.db, run, is_needed)?,
            versions: versions(&reader.db, run)?,
        })
    }
}

fn key(db: &Connection, url: StoredUrl) -> Result<Key, StoreError> {
    let mut select = db.prepare_cached("SELECT url FROM address WHERE id = ?1")?;
    let mut rows = select.query([url.0])?;
    let row =
        rows.next()?.ok_or_else(|| StoreError::Damaged(format!("URL {} is missing", url.0)))?;
    Ok(Key::of_text(row.get_ref(0)?.as_bytes().unwrap_or_default()))
}

/// A page, with its number and its run.
type PageKey = (Key, (u32, i64));

/// The pages of a run.
fn keys_of_pages(db: &Connection, run: i64) -> Result<Vec<PageKey>, StoreError> {
    let mut select = db.prepare_cached(
        "SELECT run_page.address, url FROM run_page JOIN address ON address.id = run_page.address
         WHERE run = ?1",
    )?;
    let page = |row: &Row<'_>| {
        let url = row.get_ref(1)?.as_bytes().unwrap_or_default();
        Ok((Key::of_text(url), (row.get(0)?, run)))
    };
    Ok(select.query_map([run], page)?.collect::<Result<_, _>>()?)
}

fn versions(db: &Connection, run: i64) -> Result<HashMap<u32, u32>, StoreError> {
    let mut select = db.prepare_cached("SELECT address, version FROM run_page WHERE run = ?1")?;
    let rows = select.query_map([run], |row| Ok((row.get(0)?, row.get(1)?)))?;
    Ok(rows.collect::<Result<_, _>>()?)
}
