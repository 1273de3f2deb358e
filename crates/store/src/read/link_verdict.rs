//! The verdict on a single link, which may be worse than that on its URL.

use std::cell::OnceCell;

use rummage_core::crawl::FragmentFault;
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::verdict::{LinkContext, is_public, of_link};

use crate::db::error::StoreError;
use crate::model::StoredUrl;
use crate::read::open::OpenRun;
use crate::read::own_verdicts::OwnVerdict;
use crate::tables::url_status::UrlStatus;

/// The texts of a page, which are fetched only if needed: most links need none of them.
pub(crate) struct PageTexts<'a> {
    run: &'a OpenRun<'a>,
    pub(crate) rank: u32,
    texts: OnceCell<(String, Option<String>)>,
    is_public: OnceCell<bool>,
}

impl<'a> PageTexts<'a> {
    pub(crate) fn of(run: &'a OpenRun<'a>, rank: u32) -> PageTexts<'a> {
        PageTexts { run, rank, texts: OnceCell::new(), is_public: OnceCell::new() }
    }

    /// URL and title.
    pub(crate) fn texts(&self) -> Result<(&str, Option<&str>), StoreError> {
        if self.texts.get().is_none() {
            let version = self.run.pages[self.rank as usize].version;
            let texts = self
                .run
                .db
                .prepare_cached(
                    "SELECT url, title FROM page_version JOIN address ON address.id = address
                     WHERE page_version.id = ?1",
                )?
                .query_row([version], |row| Ok((row.get(0)?, row.get(1)?)))?;
            let _ = self.texts.set(texts);
        }
        let (url, title) = self.texts.get().expect("it was just set");
        Ok((url, title.as_deref()))
    }
}

impl PageTexts<'_> {
    fn is_public(&self) -> Result<bool, StoreError> {
        let (url, _) = self.texts()?;
        Ok(*self.is_public.get_or_init(|| is_public(url)))
    }
}

impl OpenRun<'_> {
    /// The verdict on a link itself, on this page, if it is worse than that on its URL.
    pub(crate) fn own_verdict(
        &self,
        content: u32,
        target: u32,
        url_status: UrlStatus,
        page: &PageTexts<'_>,
    ) -> Result<OwnVerdict, StoreError> {
        let faultless = OwnVerdict { verdict: None, fragment_fault: None };
        if self.own_verdicts.is_faultless(content) {
            return Ok(faultless);
        }
        if !self.contents.said(content, |said| self.link_faults.concerns_link(target, said))? {
            self.own_verdicts.set_faultless(content);
            return Ok(faultless);
        }
        let is_public = page.is_public()?;
        if let Some(own) = self.own_verdicts.get(content, is_public) {
            return Ok(own);
        }
        let (page_url, title) = page.texts()?;
        let is_page = self.link_faults.is_page(target);
        let of_target = self.link_faults.fragments.get(&target);
        let target = self.url(StoredUrl(target))?;
        self.contents.with(content, |said| {
            let fragment_fault =
                said.fragment.and_then(|fragment| of_target?.get(fragment).copied());
            let own = Element::named(said.element).zip(Attribute::named(said.attribute));
            let link = own.map(|(element, attribute)| LinkContext {
                page: page_url,
                title,
                text: said.text,
                target: &target,
                scope: url_status.scope,
                element,
                attribute,
                rel: said.rel,
                written: said.written.text(&target),
                scripted: said.scripted,
                verdict: url_status.verdict,
                lacks_anchor: fragment_fault == Some(FragmentFault::Missing),
                is_page,
                placeholders_are_broken: self.info.placeholders_are_broken,
            });
            let own = OwnVerdict { verdict: link.as_ref().and_then(of_link), fragment_fault };
            if !link.is_some_and(|link| link.depends_on_page()) {
                self.own_verdicts.keep(content, is_public, own);
            }
            own
        })
    }
}
