//! The URLs that a run found to work.

use std::collections::HashMap;

use rummage_core::verdict::{Cause, Verdict};

use crate::db::error::StoreError;
use crate::model::StoredUrl;
use crate::read::open::OpenRun;

/// A URL that works.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SoundUrl {
    /// The URL.
    pub url: String,
    /// The title, if it is a parsed page.
    pub title: Option<String>,
    /// Texts of links to it, if it is a parsed page: a few of them.
    pub texts: Vec<String>,
}

/// How many texts of links to a page are kept.
const TEXTS: usize = 3;

impl OpenRun<'_> {
    /// The URLs that were requested and are sound, and those where the redirects of others end
    /// well, in the order of their numbers. Nonexistent test URLs and URLs that redirect are not
    /// among them.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn sound_urls(&self) -> Result<Vec<SoundUrl>, StoreError> {
        let mut ends = vec![false; self.url_statuses.end()];
        let mut set = |url: u32| {
            if let Some(end) = ends.get_mut(url as usize) {
                *end = true;
            }
        };
        let is_sound = |verdict: Verdict, cause: Option<Cause>| {
            verdict == Verdict::Sound && cause != Some(Cause::Redirected)
        };
        for (url, status) in self.url_statuses.iter() {
            let is_redirected = !status.plain && status.cause.is_some();
            if status.requested
                && status.linked
                && is_sound(status.verdict, status.cause)
                && !is_redirected
            {
                set(url);
            }
        }
        let mut select = self.db.prepare(
            "SELECT final FROM verdict
             WHERE run = ?1 AND verdict IN ('sound', 'moved') AND linked AND hops > 0",
        )?;
        let mut rows = select.query([self.info.number])?;
        while let Some(row) = rows.next()? {
            set(row.get(0)?);
        }
        let mut titles: HashMap<u32, String> = HashMap::new();
        let mut select = self.db.prepare(
            "SELECT run_page.address, title FROM run_page
             JOIN page_version ON page_version.id = version
             WHERE run = ?1 AND title IS NOT NULL AND format IN ('html', 'xhtml')",
        )?;
        let mut rows = select.query([self.info.number])?;
        while let Some(row) = rows.next()? {
            titles.insert(row.get(0)?, row.get(1)?);
            set(row.get(0)?);
        }
        let mut texts = self.link_texts(&titles)?;
        let mut found = Vec::new();
        for (number, _) in (0u32..).zip(&ends).filter(|(_, works)| **works) {
            let url = self.url(StoredUrl(number))?;
            let texts = texts.remove(&number).unwrap_or_default();
            found.push(SoundUrl { url, title: titles.remove(&number), texts });
        }
        Ok(found)
    }

    /// Texts of links to these pages.
    fn link_texts(
        &self,
        pages: &HashMap<u32, String>,
    ) -> Result<HashMap<u32, Vec<String>>, StoreError> {
        let mut texts: HashMap<u32, Vec<String>> = HashMap::new();
        let mut wanted = Vec::new();
        self.contents.for_each(|content, target, _| {
            if pages.contains_key(&target) {
                wanted.push((content, target));
            }
            Ok(())
        })?;
        for (content, target) in wanted {
            let known = texts.entry(target).or_default();
            if known.len() >= TEXTS {
                continue;
            }
            let text = self.contents.with(content, |said| said.text.map(str::to_owned))?;
            if let Some(text) = text.filter(|text| !text.is_empty() && !known.contains(text)) {
                known.push(text);
            }
        }
        Ok(texts)
    }
}
