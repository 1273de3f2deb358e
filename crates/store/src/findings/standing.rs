//! The standing of the findings of a run.

use rummage_core::findings::compare::is_finding;

use super::changes::changes;
use crate::db::error::StoreError;
use crate::model::{Changes, History};
use crate::read::link_query::LinkMatch;
use crate::read::open::OpenRun;
use crate::tables::findings::key;
use crate::tables::url_status::UrlStatus;
use rummage_core::url::hashed::Key;

impl OpenRun<'_> {
    /// The history of a finding; `None` if the link is none, or the run has not ended.
    pub(crate) fn standing(&self, found: &LinkMatch) -> Result<Option<History>, StoreError> {
        if !is_finding(found.verdict) {
            return Ok(None);
        }
        Ok(self.histories()?.of(self.key(found)?))
    }

    /// How the findings of the run compare with those of the previous run.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn changes(&self) -> Result<Changes, StoreError> {
        changes(self.db, &self.info, &self.waivers)
    }

    /// The last status of the target of a link.
    pub(crate) fn status(&self, found: &LinkMatch) -> Option<u16> {
        self.url_status(found.target.0).and_then(UrlStatus::status)
    }

    pub(crate) fn key(&self, found: &LinkMatch) -> Result<Key, StoreError> {
        let page = self.pages[found.page as usize].url;
        self.contents.with(found.content, |said| {
            key(page, found.target.0, said.fragment, said.element, found.verdict)
        })
    }
}
