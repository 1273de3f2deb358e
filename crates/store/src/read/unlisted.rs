//! URLs that are no target of their own, because each link to them has a fault that makes another
//! target: a missing anchor, a placeholder, mixed content.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::identity::TargetIdentity;
use rusqlite::params;

use crate::codec::occurrences;
use crate::db::error::StoreError;
use crate::read::link_verdict::PageTexts;
use crate::read::open::OpenRun;

impl OpenRun<'_> {
    /// The URLs that links name, and that no listing shows as targets of their own. The pages are
    /// read until a faultless link to each of the others has been found.
    pub(crate) fn unlisted(&self) -> Result<HashSet<u32>, StoreError> {
        let mut unlisted: HashSet<u32> = self
            .url_statuses
            .iter()
            .filter(|(url, status)| status.linked && self.link_faults.concerns(*url))
            .map(|(url, _)| url)
            .collect();
        if unlisted.is_empty() {
            return Ok(unlisted);
        }
        let mut targets: HashMap<u32, u32> = HashMap::new();
        self.contents.for_each(|content, target, _| {
            if unlisted.contains(&target) {
                targets.insert(content, target);
            }
            Ok(())
        })?;
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        for (rank, page) in (0..).zip(&self.pages) {
            if unlisted.is_empty() {
                break;
            }
            let links: Vec<u8> = select.query_row(params![page.version], |row| row.get(0))?;
            let texts = PageTexts::of(self, rank);
            for occurrence in occurrences::unpack(&links) {
                let Some(target) = targets.get(&occurrence.content) else { continue };
                if unlisted.contains(target)
                    && self.names_url(occurrence.content, *target, &texts)?
                {
                    unlisted.remove(target);
                }
            }
        }
        Ok(unlisted)
    }

    /// Whether the target of a link is its URL.
    fn names_url(
        &self,
        content: u32,
        target: u32,
        page: &PageTexts<'_>,
    ) -> Result<bool, StoreError> {
        let Some(url_status) = self.url_status(target) else { return Ok(false) };
        let own = self.own_verdict(content, target, url_status, page)?;
        let cause = own.verdict.map_or(url_status.cause, |own| own.cause);
        let texts = || Ok::<_, StoreError>((None, String::new()));
        Ok(TargetIdentity::of(target, cause, texts)? == TargetIdentity::Url(target))
    }
}
