//! An open run: the status of its URLs, its pages, and its link contents.
//!
//! A few bytes are kept in memory for each URL and each link content. Texts are fetched only for
//! what is shown.

use std::cell::{OnceCell, RefCell};
use std::collections::HashSet;
use std::sync::Arc;

use rummage_core::crawl::FragmentFault;
use rummage_core::findings::waiver::Waivers;
use rusqlite::{Connection, OptionalExtension, params};

use crate::codec::occurrences;
use crate::db::error::StoreError;
use crate::model::{RunInfo, StoredUrl};
use crate::read::link_faults::LinkFaults;
use crate::read::own_verdicts::OwnVerdicts;
use crate::read::reader::Reader;
use crate::read::url_texts::UrlTexts;
use crate::tables::evidence::Evidence;
use crate::tables::findings::Histories;
use crate::tables::link_contents::LinkContents;
use crate::tables::page_order::{self, Page};
use crate::tables::url_status::{UrlStatus, UrlStatuses};

/// A run, opened for queries.
#[derive(Debug)]
pub struct OpenRun<'a> {
    pub(crate) db: &'a Connection,
    pub(crate) info: RunInfo,
    pub(crate) url_statuses: UrlStatuses,
    /// In the order of their rank.
    pub(crate) pages: Vec<Page>,
    pub(crate) contents: LinkContents<'a>,
    pub(crate) link_faults: LinkFaults,
    pub(crate) own_verdicts: OwnVerdicts,
    url_texts: RefCell<UrlTexts>,
    pub(crate) waivers: Arc<Waivers>,
    evidence: OnceCell<Evidence>,
    evidence_of_sound: OnceCell<Evidence>,
    histories: OnceCell<Histories>,
    page_count: OnceCell<u64>,
}

impl Reader {
    /// Opens a run for queries.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn open_run(&self, info: RunInfo) -> Result<OpenRun<'_>, StoreError> {
        // One transaction: what is read is consistent even while a crawl writes, and no lock is
        // taken for each of a million queries.
        if self.db.is_autocommit() {
            self.db.execute_batch("BEGIN")?;
        }
        Ok(OpenRun::new(&self.db, info)?.with_waivers(Arc::clone(&self.waivers)))
    }
}

impl<'a> OpenRun<'a> {
    pub(crate) fn new(db: &'a Connection, info: RunInfo) -> Result<OpenRun<'a>, StoreError> {
        let url_statuses = UrlStatuses::of_run(db, info.number)?;
        let pages = page_order::pages(db, info.number)?;
        let contents = LinkContents::of_store(db)?;
        let link_faults = LinkFaults::of_run(db, info.number)?;
        // Pages cached while opening a large run are not those that will be needed.
        db.execute_batch("PRAGMA shrink_memory")?;
        Ok(OpenRun {
            url_statuses,
            pages,
            contents,
            link_faults,
            own_verdicts: OwnVerdicts::default(),
            url_texts: RefCell::default(),
            waivers: Arc::default(),
            evidence: OnceCell::new(),
            evidence_of_sound: OnceCell::new(),
            histories: OnceCell::new(),
            page_count: OnceCell::new(),
            db,
            info,
        })
    }

    pub(crate) fn with_waivers(self, waivers: Arc<Waivers>) -> OpenRun<'a> {
        OpenRun { waivers, ..self }
    }

    /// The run, as its head line tells of it.
    #[must_use]
    pub fn info(&self) -> &RunInfo {
        &self.info
    }

    /// The number of pages it parsed, not counting stylesheets, sitemaps and robots.txt.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn page_count(&self) -> Result<u64, StoreError> {
        if let Some(count) = self.page_count.get() {
            return Ok(*count);
        }
        let count = page_order::count_pages(self.db, self.info.number)?;
        Ok(*self.page_count.get_or_init(|| count))
    }

    /// The status of a URL in the run; a URL that it knows and did not get to is not checked.
    pub(crate) fn url_status(&self, url: u32) -> Option<UrlStatus> {
        let unfinished = !self.info.state.is_complete();
        self.url_statuses.of(url).or_else(|| unfinished.then(UrlStatus::not_asked))
    }

    /// The requests for a URL. Those for the many URLs that are simply sound are fetched only
    /// when one of them is needed.
    pub(crate) fn evidence(&self, url: StoredUrl) -> Result<&Evidence, StoreError> {
        let is_plain = |url| self.url_statuses.of(url).is_some_and(|url_status| url_status.plain);
        let plain = is_plain(url.0);
        let cell = if plain { &self.evidence_of_sound } else { &self.evidence };
        if cell.get().is_none() {
            let wanted = |url| is_plain(url) == plain;
            let _ = cell.set(Evidence::of_run(self.db, self.info.number, wanted)?);
        }
        Ok(cell.get().expect("it was just set"))
    }

    pub(crate) fn histories(&self) -> Result<&Histories, StoreError> {
        if self.histories.get().is_none() {
            let _ = self.histories.set(Histories::of_run(self.db, &self.info)?);
        }
        Ok(self.histories.get().expect("it was just set"))
    }

    /// Whether a page that the run parsed has a link to a URL.
    pub(crate) fn has_link(&self, page: StoredUrl, target: StoredUrl) -> Result<bool, StoreError> {
        let links: Option<Vec<u8>> = self
            .db
            .prepare_cached(
                "SELECT links FROM run_page JOIN page_version ON page_version.id = version
                 WHERE run = ?1 AND run_page.address = ?2",
            )?
            .query_row([self.info.number, i64::from(page.0)], |row| row.get(0))
            .optional()?;
        for occurrence in occurrences::unpack(&links.unwrap_or_default()) {
            if self.contents.target(occurrence.content)? == target.0 {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The text of a URL.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn url(&self, url: StoredUrl) -> Result<String, StoreError> {
        Ok(self.url_texts.borrow_mut().text(self.db, url.0)?.to_owned())
    }

    /// The URL with this text, if the store contains it.
    pub(crate) fn url_of(&self, url: &str) -> Result<Option<StoredUrl>, StoreError> {
        let found = self
            .db
            .prepare_cached("SELECT id FROM address WHERE url = ?1")?
            .query_row([url], |row| row.get(0))
            .optional()?;
        Ok(found.map(StoredUrl))
    }

    /// The URLs of the run that match: those equal to the text, with or without their scheme,
    /// else those that contain it; at most `most` of them, short ones first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn find(&self, text: &str, most: usize) -> Result<Vec<(StoredUrl, String)>, StoreError> {
        let exact = self.matching(
            "SELECT id, url FROM address
             WHERE url = ?1 OR substr(url, instr(url, '://') + 3) = ?1",
            text,
            most,
        )?;
        if !exact.is_empty() {
            return Ok(exact);
        }
        self.matching(
            "SELECT id, url FROM address WHERE instr(url, ?1) > 0 ORDER BY length(url), url",
            text,
            most,
        )
    }

    /// The URLs of the run with exactly one of these texts.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn named(&self, texts: &HashSet<&str>) -> Result<Vec<StoredUrl>, StoreError> {
        let mut found = Vec::new();
        let mut select = self.db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let url: u32 = row.get(0)?;
            let is_named = texts.contains(row.get_ref(1)?.as_str().unwrap_or_default());
            if is_named && self.url_statuses.of(url).is_some() {
                found.push(StoredUrl(url));
            }
        }
        Ok(found)
    }

    /// The URLs of the run that start with this text.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn starting_with(&self, prefix: &str) -> Result<Vec<(StoredUrl, String)>, StoreError> {
        self.matching(
            "SELECT id, url FROM address WHERE substr(url, 1, length(?1)) = ?1 ORDER BY url",
            prefix,
            usize::MAX,
        )
    }

    fn matching(
        &self,
        sql: &str,
        text: &str,
        most: usize,
    ) -> Result<Vec<(StoredUrl, String)>, StoreError> {
        let mut found = Vec::new();
        let mut select = self.db.prepare(sql)?;
        let mut rows = select.query(params![text])?;
        while let Some(row) = rows.next()?
            && found.len() < most
        {
            let url: u32 = row.get(0)?;
            if self.url_statuses.of(url).is_some() {
                found.push((StoredUrl(url), row.get(1)?));
            }
        }
        Ok(found)
    }

    /// Whether a link names a URL: it is not only a redirect hop or a nonexistent test URL.
    #[must_use]
    pub fn is_linked(&self, url: StoredUrl) -> bool {
        self.url_status(url.0).is_some_and(|url_status| url_status.linked)
    }

    /// The fragments of a URL that have no anchor on its page.
    #[must_use]
    pub fn missing_fragments(&self, url: StoredUrl) -> Vec<&str> {
        let Some(faults) = self.link_faults.fragments.get(&url.0) else { return Vec::new() };
        let missing = faults.iter().filter(|(_, fault)| **fault == FragmentFault::Missing);
        let mut missing: Vec<&str> = missing.map(|(fragment, _)| fragment.as_str()).collect();
        missing.sort_unstable();
        missing
    }
}
