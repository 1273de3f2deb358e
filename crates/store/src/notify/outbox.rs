//! Digests on their way: each is delivered at least once, and as a rule no more than once.
//!
//! A row is written in the transaction of the run that it tells of, and marked when the
//! other side has taken it. Between these two a crash has it delivered twice, with the same
//! message id, by which mail readers know that it is one letter.

use std::fs::File;
use std::path::Path;

use jiff::{SignedDuration, Timestamp};
use rummage_core::schedule::notifications::wait_after;
use rusqlite::{Connection, params};

use crate::db::connection::{lock_file_of, open_next_to};
use crate::db::error::StoreError;
use crate::db::row::{text, timestamp, word};
use crate::model::Channel;
use crate::notify::digest::Digest;
use crate::read::reader::Reader;

/// Letters of a site that are kept once they were delivered.
const KEPT: u32 = 20;

/// A digest on its way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct QueuedDigest {
    /// Its number.
    pub id: i64,
    /// The way in which it is delivered.
    pub channel: Channel,
    /// What it tells.
    pub digest: Digest,
    /// The same as JSON, as it was written.
    pub json: String,
    /// How often it was tried in vain.
    pub attempts: u32,
}

/// Digests of a site that were not delivered yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Undelivered {
    /// The site.
    pub site: String,
    /// How many.
    pub emails: u64,
    /// How often the one that was tried most was tried.
    pub attempts: u32,
    /// When the next is tried.
    pub next_at: Timestamp,
    /// Why the last attempt failed.
    pub problem: Option<String>,
}

/// Writes a digest, for each way in which it is delivered.
pub(crate) fn post(
    db: &Connection,
    digest: &Digest,
    channels: &[Channel],
) -> Result<(), StoreError> {
    let json = serde_json::to_string(digest).expect("a digest is plain data");
    let mut insert = db.prepare_cached(
        "INSERT INTO outbox (site, run, channel, message_id, digest, next_at)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
    )?;
    // It is tried as soon as anybody looks.
    let now = digest.began_at.to_string();
    for channel in channels {
        insert.execute(params![
            digest.site,
            digest.run,
            channel.as_str(),
            digest.message_id,
            json,
            now
        ])?;
    }
    Ok(())
}

/// The one who delivers what is in a store. Runs may be written meanwhile.
#[derive(Debug)]
pub struct Outbox {
    db: Connection,
    /// Held for as long as it lives: nothing is delivered by two at a time.
    _lock: File,
}

impl Outbox {
    /// Opens the outbox of a store; `None` where another program is delivering.
    ///
    /// # Errors
    /// When the store cannot be opened or written.
    pub fn open(path: &Path) -> Result<Option<Outbox>, StoreError> {
        let Some(lock) = lock_file_of(path, ".outbox")? else { return Ok(None) };
        Ok(Some(Outbox { db: open_next_to(path)?, _lock: lock }))
    }

    /// What is to be tried now, in the order in which it was written.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn due(&self, now: Timestamp) -> Result<Vec<QueuedDigest>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id, channel, digest, attempts, next_at FROM outbox
             WHERE next_at IS NOT NULL ORDER BY id",
        )?;
        let mut rows = select.query([])?;
        let mut emails = Vec::new();
        while let Some(row) = rows.next()? {
            // A next time that lies far ahead was noted by a clock that went wrong.
            let at = timestamp(text(row, 4)?.unwrap_or_default());
            let attempts: u32 = row.get(3)?;
            let longest = now.checked_add(SignedDuration::from_hours(13)).unwrap_or(now);
            if at > now && at < longest {
                continue;
            }
            let json: String = row.get(2)?;
            let digest = serde_json::from_str(&json)
                .map_err(|error| StoreError::Damaged(format!("a digest: {error}")))?;
            let channel = word(row, 1, Channel::named)?;
            emails.push(QueuedDigest { id: row.get(0)?, channel, digest, json, attempts });
        }
        Ok(emails)
    }

    /// The other side has taken it.
    ///
    /// # Errors
    /// When the store cannot be written.
    pub fn handle_delivered(&self, email: &QueuedDigest, now: Timestamp) -> Result<(), StoreError> {
        self.db.execute(
            "UPDATE outbox SET delivered_at = ?2, next_at = NULL, problem = NULL,
                 attempts = attempts + 1
             WHERE id = ?1",
            params![email.id, now.to_string()],
        )?;
        self.db.execute(
            "DELETE FROM outbox WHERE site = ?1 AND next_at IS NULL AND id NOT IN
                 (SELECT id FROM outbox WHERE site = ?1 AND next_at IS NULL
                  ORDER BY id DESC LIMIT ?2)",
            params![email.digest.site, KEPT],
        )?;
        Ok(())
    }

    /// It could not be delivered: it is tried again, after a gap that grows. Gives when.
    ///
    /// # Errors
    /// When the store cannot be written.
    pub fn handle_failed(
        &self,
        email: &QueuedDigest,
        problem: &str,
        now: Timestamp,
    ) -> Result<Timestamp, StoreError> {
        let wait = SignedDuration::from_secs(wait_after(email.attempts + 1));
        let next = now.checked_add(wait).unwrap_or(now);
        self.db.execute(
            "UPDATE outbox SET attempts = attempts + 1, problem = ?2, next_at = ?3 WHERE id = ?1",
            params![email.id, problem, next.to_string()],
        )?;
        Ok(next)
    }

    /// The settings name no such way any more: it is never tried again.
    ///
    /// # Errors
    /// When the store cannot be written.
    pub fn handle_dropped(&self, email: &QueuedDigest) -> Result<(), StoreError> {
        let problem = "the settings name no such way any more";
        self.db.execute(
            "UPDATE outbox SET next_at = NULL, problem = ?2 WHERE id = ?1",
            params![email.id, problem],
        )?;
        Ok(())
    }
}

impl Reader {
    /// What waits to be delivered, by site.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn undelivered(&self) -> Result<Vec<Undelivered>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT site, count(*), max(attempts), min(next_at),
                    (SELECT problem FROM outbox AS last WHERE last.site = outbox.site
                         AND problem IS NOT NULL AND next_at IS NOT NULL
                     ORDER BY attempts DESC, id DESC LIMIT 1)
             FROM outbox WHERE next_at IS NOT NULL GROUP BY site ORDER BY site",
        )?;
        let rows = select.query_map([], |row| {
            Ok(Undelivered {
                site: row.get(0)?,
                emails: row.get(1)?,
                attempts: row.get(2)?,
                next_at: timestamp(&row.get::<_, String>(3)?),
                problem: row.get(4)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}
