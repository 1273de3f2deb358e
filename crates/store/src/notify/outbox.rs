//! The outbox: each digest is delivered at least once, and normally only once.
//!
//! A row is written in the transaction of the run that it reports, and marked when the recipient
//! has accepted it. A crash between the two causes a second delivery with the same message id, by
//! which mail readers recognize the duplicate.

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

/// How many delivered digests of a site are kept.
const KEPT: u32 = 20;

/// A queued digest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct QueuedDigest {
    /// Its number.
    pub id: i64,
    /// The channel.
    pub channel: Channel,
    /// The digest.
    pub digest: Digest,
    /// The digest as JSON, as it was written.
    pub json: String,
    /// The number of failed attempts.
    pub attempts: u32,
}

/// Undelivered digests of a site.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Undelivered {
    /// The site.
    pub site: String,
    /// How many.
    pub emails: u64,
    /// The highest number of attempts among them.
    pub attempts: u32,
    /// When the next is tried.
    pub next_at: Timestamp,
    /// Why the last attempt failed.
    pub problem: Option<String>,
}

/// Queues a digest for each channel.
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
    // Due immediately.
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

/// Access to the queued digests of a store. Runs may be written meanwhile.
#[derive(Debug)]
pub struct Outbox {
    db: Connection,
    /// Locked while this value exists, so that digests are delivered by one process at a time.
    _lock: File,
}

impl Outbox {
    /// Opens the outbox of a store; `None` while another process is delivering.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn open(path: &Path) -> Result<Option<Outbox>, StoreError> {
        let Some(lock) = lock_file_of(path, ".outbox")? else { return Ok(None) };
        Ok(Some(Outbox { db: open_next_to(path)?, _lock: lock }))
    }

    /// The digests that are due, in the order in which they were written.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn due(&self, now: Timestamp) -> Result<Vec<QueuedDigest>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id, channel, digest, attempts, next_at FROM outbox
             WHERE next_at IS NOT NULL ORDER BY id",
        )?;
        let mut rows = select.query([])?;
        let mut emails = Vec::new();
        while let Some(row) = rows.next()? {
            // A time too far ahead was recorded by a wrong clock.
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

    /// Records that a digest was delivered.
    ///
    /// # Errors
    /// See [`StoreError`].
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

    /// Records a failed delivery. Returns when to retry, after a growing delay.
    ///
    /// # Errors
    /// See [`StoreError`].
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

    /// Records that the channel is no longer in the settings: the digest is never retried.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn handle_dropped(&self, email: &QueuedDigest) -> Result<(), StoreError> {
        let problem = "this channel is no longer in the settings";
        self.db.execute(
            "UPDATE outbox SET next_at = NULL, problem = ?2 WHERE id = ?1",
            params![email.id, problem],
        )?;
        Ok(())
    }
}

impl Reader {
    /// The undelivered digests, by site.
    ///
    /// # Errors
    /// See [`StoreError`].
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
