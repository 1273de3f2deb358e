//! Collects the changes to report at the end of a run: each once, in the transaction of the run
//! that found it, so that none is lost or reported twice.

use crate::model::NotifySettings;
use jiff::Timestamp;
use rummage_core::schedule::notifications::{
    CheckResult, Notification, NotifyState, is_sure, step,
};
use rummage_core::verdict::Cause;
use rusqlite::{Connection, params};

use crate::db::error::StoreError;
use crate::db::row::{text, timestamp, word};
use crate::model::StoredUrl;
use crate::notify::digest;
use crate::notify::outbox;
use crate::read::link_query::LinkMatch;
use crate::read::open::OpenRun;

/// What is stored about notifications of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct KnownFinding {
    pub(crate) notified: NotifyState,
    /// The time of the check that found it first.
    pub(crate) since: Timestamp,
}

impl KnownFinding {
    /// From a row with the columns `told`, `wrong_since` and `first_at`, starting at this one.
    pub(crate) fn of_row(
        row: &rusqlite::Row<'_>,
        column: usize,
    ) -> Result<KnownFinding, StoreError> {
        let since = match text(row, column + 1)? {
            Some(since) => Some(since),
            None => text(row, column + 2)?,
        };
        Ok(KnownFinding {
            notified: word(row, column, NotifyState::named)?,
            since: timestamp(since.unwrap_or_default()),
        })
    }
}

/// Takes the observations of a run, and collects the changes to report.
pub(crate) struct NotificationCollector<'a> {
    db: &'a Connection,
    run: &'a OpenRun<'a>,
    notify: &'a NotifySettings,
    /// The number of the finding, and the change to report.
    news: Vec<(i64, Notification)>,
}

impl<'a> NotificationCollector<'a> {
    pub(crate) fn new(
        db: &'a Connection,
        run: &'a OpenRun<'a>,
        notify: &'a NotifySettings,
    ) -> Self {
        NotificationCollector { db, run, notify, news: Vec::new() }
    }

    /// A finding is present. `again`: it was reported as fixed before.
    pub(crate) fn handle_there(
        &mut self,
        id: i64,
        known: KnownFinding,
        found: &LinkMatch,
        again: bool,
    ) -> Result<(), StoreError> {
        // For most findings, nothing changes.
        if known.notified == NotifyState::Notified && self.notify.waivers.is_empty() {
            return Ok(());
        }
        let waived = self.run.is_waived_by(found, &self.notify.waivers)?;
        let sure = !found.cause.is_some_and(Cause::is_temporary) || {
            let last = checked_at(self.run, found.target)?.unwrap_or(known.since);
            let (first, last) = (known.since.as_second(), last.as_second());
            is_sure(found.cause, first, last, self.notify.apart)
        };
        self.take(id, known.notified, CheckResult::Present { waived, sure, again })
    }

    /// A finding is fixed.
    pub(crate) fn handle_healed(
        &mut self,
        id: i64,
        notified: NotifyState,
    ) -> Result<(), StoreError> {
        self.take(id, notified, CheckResult::Healed)
    }

    fn take(
        &mut self,
        id: i64,
        notified: NotifyState,
        look: CheckResult,
    ) -> Result<(), StoreError> {
        let (next, news) = step(notified, look);
        if next != notified {
            self.db
                .prepare_cached("UPDATE finding SET told = ?2 WHERE id = ?1")?
                .execute(params![id, next.as_str()])?;
        }
        self.news.extend(news.map(|news| (id, news)));
        Ok(())
    }

    /// Queues a digest of the changes for each channel.
    pub(crate) fn post(self) -> Result<(), StoreError> {
        if self.news.is_empty() || self.notify.channels.is_empty() {
            return Ok(());
        }
        let digest = digest::of_news(self.db, self.run.info(), &self.notify.waivers, self.news)?;
        outbox::post(self.db, &digest, &self.notify.channels)
    }
}

/// When a URL was checked, for a result that a run relies on.
pub(crate) fn checked_at(
    run: &OpenRun<'_>,
    target: StoredUrl,
) -> Result<Option<Timestamp>, StoreError> {
    Ok(run.outcome(target)?.and_then(|outcome| outcome.checked_at))
}
