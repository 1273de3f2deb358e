//! What people are told at the end of a run: each change once, in the transaction of the
//! run that saw it, so that none is told twice and none is lost.

use jiff::Timestamp;
use rummage_core::findings::waiver::Waivers;
use rummage_core::schedule::notifications::{APART, Look, News, Told, is_sure, step};
use rummage_core::schedule::policy::may_pass;
use rusqlite::{Connection, params};

use crate::open::OpenRun;
use crate::reader::{text, timestamp};
use crate::records::Address;
use crate::sift::Found;
use crate::{StoreError, digest, outbox};

/// How people are told, and of what not.
#[derive(Debug, Clone)]
pub struct Telling {
    /// What is set aside.
    pub waivers: Waivers,
    /// How far two checks must lie apart before what may pass is told, in seconds.
    pub apart: i64,
    /// The ways in which digests are delivered; where there are none, none is made.
    pub channels: Vec<Channel>,
}

impl Default for Telling {
    fn default() -> Telling {
        Telling { waivers: Waivers::default(), apart: APART, channels: Vec::new() }
    }
}

/// A way to deliver a digest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Channel {
    /// By mail.
    Mail,
    /// To a command, on its standard input.
    Command,
}

impl Channel {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Channel::Mail => "mail",
            Channel::Command => "command",
        }
    }

    pub(crate) fn named(name: &str) -> Channel {
        match name {
            "command" => Channel::Command,
            _ => Channel::Mail,
        }
    }
}

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
            told: text(row, column)?.and_then(Told::named).unwrap_or(Told::Told),
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
        let sure = !found.cause.is_some_and(may_pass) || {
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
