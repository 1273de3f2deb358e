//! Per-URL verdicts of one run, packed into eight bytes each.

use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::Connection;

use crate::codec::entries::Entry;
use crate::db::error::StoreError;
use crate::db::row::{optional_word, word};
use crate::tables::request_log::for_each_entry;

/// The status of a URL in a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct UrlStatus {
    pub(crate) verdict: Verdict,
    pub(crate) cause: Option<Cause>,
    /// 0 for none.
    status: u16,
    pub(crate) scope: Option<Scope>,
    /// A link names it.
    pub(crate) linked: bool,
    /// It was requested: some verdicts need no request.
    pub(crate) requested: bool,
    /// It is only in the request log, without a row of its own.
    pub(crate) plain: bool,
    /// Its result was reused from an earlier run.
    pub(crate) recalled: bool,
}

impl UrlStatus {
    pub(crate) fn status(self) -> Option<u16> {
        Some(self.status).filter(|status| *status > 0)
    }

    /// The status of a URL that a run knows and did not get to.
    pub(crate) fn not_asked() -> UrlStatus {
        UrlStatus {
            verdict: Verdict::Skipped,
            cause: Some(Cause::NotAsked),
            status: 0,
            scope: None,
            linked: true,
            requested: false,
            plain: false,
            recalled: false,
        }
    }
}

/// Which URLs a run did not request, because it reused an earlier result; by the number of the
/// URL.
#[derive(Default)]
struct Recalled(Vec<bool>);

impl Recalled {
    fn handle_entry(&mut self, entry: &Entry) {
        let Some(request) = &entry.request else { return };
        let at = entry.url as usize;
        if request.recalled && self.0.len() <= at {
            self.0.resize(at + 1, false);
        }
        // It may have been requested all the same.
        if let Some(recalled) = self.0.get_mut(at) {
            *recalled = request.recalled;
        }
    }
}

/// By the number of the URL.
#[derive(Debug, Default, Clone)]
pub(crate) struct UrlStatuses(Vec<Option<UrlStatus>>);

impl UrlStatuses {
    pub(crate) fn of_run(db: &Connection, run: i64) -> Result<UrlStatuses, StoreError> {
        let last = "SELECT coalesce(max(id), 0) FROM address";
        let last: u32 = db.query_row(last, [], |row| row.get(0))?;
        let mut url_statuses = UrlStatuses(Vec::with_capacity(last as usize + 1));
        let mut recalled = Recalled::default();
        for_each_entry(db, run, |entry| {
            recalled.handle_entry(&entry);
            if let Some(scope) = entry.sound {
                let url_status = UrlStatus {
                    verdict: Verdict::Sound,
                    cause: None,
                    status: 200,
                    scope: Some(scope),
                    linked: true,
                    requested: true,
                    plain: true,
                    recalled: false,
                };
                url_statuses.set(entry.url, url_status);
            }
        })?;
        let mut select = db.prepare(
            "SELECT address, verdict, cause, status, scope, linked, requested
             FROM verdict WHERE run = ?1",
        )?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let url_status = UrlStatus {
                verdict: word(row, 1, Verdict::named)?,
                cause: optional_word(row, 2, Cause::named)?,
                status: row.get::<_, Option<u16>>(3)?.unwrap_or_default(),
                scope: optional_word(row, 4, Scope::named)?,
                linked: row.get(5)?,
                requested: row.get(6)?,
                plain: false,
                recalled: false,
            };
            url_statuses.set(row.get(0)?, url_status);
        }
        for (url_status, recalled) in url_statuses.0.iter_mut().zip(recalled.0) {
            if let Some(url_status) = url_status {
                url_status.recalled = recalled;
            }
        }
        Ok(url_statuses)
    }

    fn set(&mut self, url: u32, url_status: UrlStatus) {
        let at = url as usize;
        if self.0.len() <= at {
            self.0.resize(at + 1, None);
        }
        self.0[at] = Some(url_status);
    }

    pub(crate) fn of(&self, url: u32) -> Option<UrlStatus> {
        self.0.get(url as usize).copied().flatten()
    }

    /// The first unused number.
    pub(crate) fn end(&self) -> usize {
        self.0.len()
    }

    /// All of them, with their URLs.
    pub(crate) fn iter(&self) -> impl Iterator<Item = (u32, UrlStatus)> {
        (0..).zip(&self.0).filter_map(|(url, url_status)| Some((url, (*url_status)?)))
    }
}
