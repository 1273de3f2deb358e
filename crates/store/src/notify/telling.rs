//! What people are told at the end of a run: each change once, in the transaction of the
//! run that saw it, so that none is told twice and none is lost.

use crate::model::Telling;
use jiff::Timestamp;
use rummage_core::schedule::notifications::{Look, News, Told, is_sure, step};
use rummage_core::verdict::Cause;
use rusqlite::{Connection, params};

use crate::db::error::StoreError;
use crate::db::row::{text, timestamp, word};
use crate::model::Address;
use crate::notify::digest;
use crate::notify::outbox;
use crate::read::link_query::Found;
use crate::read::open::OpenRun;

/// What is known of a finding, as far as it matters for what is told of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Known {
    pub(crate) told: Told,
    /// When the check was that found it first.
    pub(crate) since: Timestamp,
}

impl Known {
    /// Of a row with the columns told, `wrong_since`, `first_at`, from this one on.
    pub(crate) fn of_row(row: &rusqlite::Row<'_>, column: usize) -> Result<Known, StoreError> {
        let since = match text(row, column + 1)? {
            Some(since) => Some(since),
            None => text(row, column + 2)?,
        };
        Ok(Known {
            told: word(row, column, Told::named)?,
            since: timestamp(since.unwrap_or_default()),
        })
    }
}

/// Takes what a run has to say of each finding, and gathers what is news.
pub(crate) struct Gathering<'a> {
    db: &'a Connection,
    run: &'a OpenRun<'a>,
    telling: &'a Telling,
    /// The number of the finding, and what is told of it.
    news: Vec<(i64, News)>,
}

impl<'a> Gathering<'a> {
    pub(crate) fn new(db: &'a Connection, run: &'a OpenRun<'a>, telling: &'a Telling) -> Self {
        Gathering { db, run, telling, news: Vec::new() }
    }

    /// A finding is there. `again`: people were told once that it had healed.
    pub(crate) fn handle_there(
        &mut self,
        id: i64,
        known: Known,
        found: &Found,
        again: bool,
    ) -> Result<(), StoreError> {
        // Most are known, and stay so.
        if known.told == Told::Told && self.telling.waivers.is_empty() {
            return Ok(());
        }
        let waived = self.run.is_waived_by(found, &self.telling.waivers)?;
        let sure = !found.cause.is_some_and(Cause::is_temporary) || {
            let last = checked_at(self.run, found.target)?.unwrap_or(known.since);
            let (first, last) = (known.since.as_second(), last.as_second());
            is_sure(found.cause, first, last, self.telling.apart)
        };
        self.take(id, known.told, Look::There { waived, sure, again })
    }

    /// A finding has healed.
    pub(crate) fn handle_healed(&mut self, id: i64, told: Told) -> Result<(), StoreError> {
        self.take(id, told, Look::Healed)
    }

    fn take(&mut self, id: i64, told: Told, look: Look) -> Result<(), StoreError> {
        let (next, news) = step(told, look);
        if next != told {
            self.db
                .prepare_cached("UPDATE finding SET told = ?2 WHERE id = ?1")?
                .execute(params![id, next.as_str()])?;
        }
        self.news.extend(news.map(|news| (id, news)));
        Ok(())
    }

    /// Puts a digest of the news into the outbox, for each way in which it is delivered.
    pub(crate) fn post(self) -> Result<(), StoreError> {
        if self.news.is_empty() || self.telling.channels.is_empty() {
            return Ok(());
        }
        let digest = digest::of_news(self.db, self.run.info(), &self.telling.waivers, self.news)?;
        outbox::post(self.db, &digest, &self.telling.channels)
    }
}

/// When the check of an address was on which a run relies.
pub(crate) fn checked_at(
    run: &OpenRun<'_>,
    target: Address,
) -> Result<Option<Timestamp>, StoreError> {
    Ok(run.outcome(target)?.and_then(|outcome| outcome.checked_at))
}
