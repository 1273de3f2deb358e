//! Links and targets with all their texts, for output.

use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use rummage_core::crawl::{FragmentFault, NotParsed};
use rummage_core::evidence::AttemptOutcome;
use rummage_core::findings::identity::TargetIdentity;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::{OptionalExtension, Row, params};

use crate::db::error::StoreError;
use crate::db::row::{optional_word, word};
use crate::model::{History, LinkRow, Outcome, PageRow, StoredUrl, TargetRow, TraceRow};
use crate::read::link_query::{LinkMatch, LinkQuery};
use crate::read::open::OpenRun;
use crate::tables::url_status::UrlStatus;

impl LinkQuery<'_> {
    /// The texts of a matching link.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn row(&self, found: &LinkMatch) -> Result<LinkRow, StoreError> {
        self.run().row(found, self.pages_of(found))
    }

    /// The history of a matching link; `None` if it is not a finding.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn history(&self, found: &LinkMatch) -> Result<Option<History>, StoreError> {
        self.run().standing(found)
    }

    /// The identity of a link's target.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn identity(&self, found: &LinkMatch) -> Result<TargetIdentity<StoredUrl>, StoreError> {
        self.run().identity(found)
    }
}

impl OpenRun<'_> {
    /// The identity of a link's target.
    pub(crate) fn identity(
        &self,
        found: &LinkMatch,
    ) -> Result<TargetIdentity<StoredUrl>, StoreError> {
        TargetIdentity::of(found.target, found.cause, || {
            let target = self.url(found.target)?;
            self.contents.with(found.content, |said| {
                (said.fragment.map(str::to_owned), said.written.text(&target).to_owned())
            })
        })
    }

    pub(crate) fn row(&self, found: &LinkMatch, pages: u64) -> Result<LinkRow, StoreError> {
        let mut outcome = self.outcome(found.target)?.unwrap_or_else(not_asked);
        (outcome.verdict, outcome.cause) = (found.verdict, found.cause);
        let page = self.pages[found.page as usize];
        let (url, history) = (self.url(found.target)?, self.standing(found)?);
        let page_url = self.url(StoredUrl(page.url))?;
        let lacks_anchor = found.fragment_fault == Some(FragmentFault::Missing);
        let owned = |text: Option<&str>| text.map(str::to_owned);
        self.contents.with(found.content, |said| LinkRow {
            target: found.target,
            fragment: owned(said.fragment),
            outcome,
            for_script: found.fragment_fault == Some(FragmentFault::ForScript)
                || (lacks_anchor && said.scripted),
            page: page_url,
            page_number: StoredUrl(page.url),
            line: found.line,
            column: found.column,
            element: said.element.to_owned(),
            attribute: said.attribute.to_owned(),
            text: owned(said.text),
            written: said.written.text(&url).to_owned(),
            region: said.region,
            rel: owned(said.rel),
            title: owned(said.title),
            pages,
            depth: page.depth,
            history,
            waived: found.waived,
            url,
        })
    }

    /// The result of the run for a URL; `None` if there is none.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn outcome(&self, url: StoredUrl) -> Result<Option<Outcome>, StoreError> {
        let Some(url_status) = self.url_status(url.0) else { return Ok(None) };
        if url_status.plain {
            return self.plain(url, url_status).map(Some);
        }
        let found = self
            .db
            .prepare_cached(
                "SELECT verdict, cause, status, last.url, moved.url, hops, scope, requested,
                        not_read
                 FROM verdict
                 JOIN address AS last ON last.id = final
                 LEFT JOIN address AS moved ON moved.id = moved_to
                 WHERE run = ?1 AND verdict.address = ?2",
            )?
            .query_row(params![self.info.number, url.0], outcome)
            .optional()?;
        let Some(outcome) = found else { return Ok(Some(not_asked())) };
        let checked_at = if url_status.requested { self.checked_at(url)? } else { None };
        Ok(Some(Outcome { checked_at, ..outcome }))
    }

    /// Only verdict and cause, which are in memory for every URL.
    #[must_use]
    pub fn verdict(&self, url: StoredUrl) -> Option<(Verdict, Option<Cause>)> {
        self.url_status(url.0).map(|url_status| (url_status.verdict, url_status.cause))
    }

    fn plain(&self, url: StoredUrl, url_status: UrlStatus) -> Result<Outcome, StoreError> {
        Ok(Outcome {
            verdict: url_status.verdict,
            cause: url_status.cause,
            status: url_status.status(),
            last: Some(self.url(url)?),
            moved_to: None,
            hops: 0,
            scope: url_status.scope,
            not_parsed: None,
            checked_at: self.checked_at(url)?,
        })
    }

    /// When a URL was last requested.
    fn checked_at(&self, url: StoredUrl) -> Result<Option<Timestamp>, StoreError> {
        let last = self.evidence(url)?.last_at(url.0);
        Ok(last.map(|micros| after(self.info.epoch_at, micros.cast_signed())))
    }

    /// A target with its last response.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn target_row(&self, url: StoredUrl) -> Result<TargetRow, StoreError> {
        let outcome = self.outcome(url)?.unwrap_or_else(not_asked);
        let last = match &outcome.last {
            Some(last) if outcome.hops > 0 => self.url_of_hop(url, last)?,
            _ => url,
        };
        let (attempts, title) = self.evidence(last)?.attempts(self.db, last.0)?;
        let attempt = attempts.into_iter().next_back();
        let took = attempt.as_ref().map(|attempt| attempt.took);
        let page = self.page(last)?;
        Ok(TargetRow {
            url: self.url(url)?,
            outcome,
            answer: attempt.and_then(|attempt| match attempt.outcome {
                AttemptOutcome::Response(answer) => Some(answer),
                AttemptOutcome::Failure(_) => None,
            }),
            took,
            depth: page.as_ref().and_then(|page| page.depth),
            description: page.as_ref().and_then(|page| page.description.clone()),
            title: page.and_then(|page| page.title).or(title),
        })
    }

    /// How many requests a URL took for its verdict, and how long its last one took.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn effort(&self, url: StoredUrl) -> Result<(u64, Option<Duration>), StoreError> {
        Ok(self.evidence(url)?.effort(url.0))
    }

    /// The title of a page that the run parsed.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn page_title(&self, page: StoredUrl) -> Result<Option<String>, StoreError> {
        Ok(self.page(page)?.and_then(|page| page.title))
    }

    /// The last hop of a URL.
    fn url_of_hop(&self, url: StoredUrl, last: &str) -> Result<StoredUrl, StoreError> {
        let end = self
            .db
            .prepare_cached("SELECT final FROM verdict WHERE run = ?1 AND address = ?2")?
            .query_row(params![self.info.number, url.0], |row| row.get(0))
            .optional()?;
        Ok(match end {
            Some(end) => StoredUrl(end),
            None => self.url_of(last)?.unwrap_or(url),
        })
    }

    /// The hops from a URL to its final URL, with their evidence.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn way(&self, url: StoredUrl) -> Result<Vec<TraceRow>, StoreError> {
        let mut way: Vec<TraceRow> = Vec::new();
        let mut seen = Vec::new();
        let mut next = Some(url.0).filter(|url| self.url_statuses.of(*url).is_some());
        while let Some(url) = next.take() {
            way.push(self.trace_row(StoredUrl(url))?);
            if seen.contains(&url) {
                break;
            }
            seen.push(url);
            next = self
                .db
                .prepare_cached("SELECT next FROM verdict WHERE run = ?1 AND address = ?2")?
                .query_row(params![self.info.number, url], |row| row.get(0))
                .optional()?
                .flatten();
        }
        Ok(way)
    }

    fn trace_row(&self, url: StoredUrl) -> Result<TraceRow, StoreError> {
        let (attempts, title) = self.evidence(url)?.attempts(self.db, url.0)?;
        let page = self.page(url)?;
        Ok(TraceRow { url: self.url(url)?, attempts, title, page })
    }

    /// A page as the run parsed it; `None` if it did not.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn page(&self, url: StoredUrl) -> Result<Option<PageRow>, StoreError> {
        let page = self
            .db
            .prepare_cached(
                "SELECT title, depth, link_count, description FROM run_page
                 JOIN page_version ON page_version.id = version
                 WHERE run = ?1 AND run_page.address = ?2",
            )?
            .query_row(params![self.info.number, url.0], |row| {
                Ok(PageRow {
                    title: row.get(0)?,
                    depth: row.get(1)?,
                    links: row.get(2)?,
                    description: row.get(3)?,
                })
            });
        Ok(page.optional()?)
    }

    /// The URL of the page with this rank, as in [`LinkMatch`].
    #[must_use]
    pub fn page_at(&self, rank: u32) -> StoredUrl {
        StoredUrl(self.pages[rank as usize].url)
    }

    /// How many pages, stylesheets, sitemaps and lists it parsed: ranks are below this.
    #[must_use]
    pub fn parsed(&self) -> u32 {
        u32::try_from(self.pages.len()).unwrap_or(u32::MAX)
    }

    /// The depth of the page with this rank; `None` if the start does not lead there.
    #[must_use]
    pub fn depth_at(&self, rank: u32) -> Option<u32> {
        self.pages[rank as usize].depth
    }
}

fn not_asked() -> Outcome {
    Outcome {
        verdict: Verdict::Skipped,
        cause: Some(Cause::NotAsked),
        status: None,
        last: None,
        moved_to: None,
        hops: 0,
        scope: None,
        not_parsed: None,
        checked_at: None,
    }
}

pub(crate) fn after(start: Timestamp, micros: i64) -> Timestamp {
    start.checked_add(SignedDuration::from_micros(micros)).unwrap_or(start)
}

/// All but the time.
fn outcome(row: &Row<'_>) -> rusqlite::Result<Outcome> {
    let last: Option<String> = row.get(3)?;
    let requested: bool = row.get(7)?;
    Ok(Outcome {
        verdict: word(row, 0, Verdict::named)?,
        cause: optional_word(row, 1, Cause::named)?,
        status: row.get(2)?,
        last: last.filter(|_| requested),
        moved_to: row.get(4)?,
        hops: row.get::<_, Option<u32>>(5)?.unwrap_or_default(),
        scope: optional_word(row, 6, Scope::named)?,
        not_parsed: optional_word(row, 8, NotParsed::named)?,
        checked_at: None,
    })
}
