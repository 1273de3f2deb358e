//! The rows of links and targets, with what is not known of a link alone.

use std::cell::RefCell;
use std::collections::HashMap;

use rummage_core::findings::prominence::Prominence;
use rummage_store::{LinkRow, OpenRun, StoreError, StoredUrl};

use crate::ViewError;
use crate::columns::{self, Around, Row};
use crate::listing::Source;

/// How many links of a target are named in its row.
pub(crate) const PLACES: usize = 3;

/// Builds rows. What many rows share is fetched once.
pub(crate) struct RowMaker<'a> {
    run: &'a OpenRun<'a>,
    source: Option<&'a Source>,
    efforts: RefCell<HashMap<StoredUrl, (u64, Option<u64>)>>,
    /// The last page: the links of a page mostly come together.
    page: RefCell<Option<Page>>,
}

#[derive(Clone)]
struct Page {
    number: StoredUrl,
    title: Option<String>,
    /// Where it is edited.
    edit: Option<String>,
}

impl<'a> RowMaker<'a> {
    pub(crate) fn new(run: &'a OpenRun<'a>, source: Option<&'a Source>) -> RowMaker<'a> {
        RowMaker { run, source, efforts: RefCell::default(), page: RefCell::default() }
    }

    /// The row of a link.
    pub(crate) fn link(&self, link: &LinkRow) -> Result<Row, ViewError> {
        let (attempts, ms) = self.effort(link.target)?;
        let Page { title: page_title, .. } = self.page(link)?;
        let edit = self.edit(link)?;
        Ok(columns::of_link(link, Around { ms, attempts, page_title, edit }))
    }

    /// The row of a target, with its first links.
    pub(crate) fn target(
        &self,
        first: &LinkRow,
        prominence: Prominence,
        links: &[LinkRow],
    ) -> Result<Row, ViewError> {
        let target = self.run.target_row(first.target)?;
        let place = |link: &LinkRow| match link.line {
            0 => link.page.clone(),
            line => format!("{} {line}:{}", link.page, link.column),
        };
        // A link that many pages share is not among its occurrences.
        let mut places: Vec<String> = std::iter::once(first).chain(links).map(place).collect();
        places.dedup();
        places.truncate(PLACES);
        Ok(columns::of_target(first, &target, prominence, places, self.edit(first)?))
    }

    fn edit(&self, link: &LinkRow) -> Result<Option<String>, StoreError> {
        let Some(source) = self.source else { return Ok(None) };
        let edit = self.page(link)?.edit;
        Ok(edit.map(|edit| source.place(&edit, link.line, link.column)))
    }

    fn effort(&self, url: StoredUrl) -> Result<(u64, Option<u64>), StoreError> {
        if let Some(known) = self.efforts.borrow().get(&url) {
            return Ok(*known);
        }
        let (attempts, took) = self.run.effort(url)?;
        let effort = (attempts, took.and_then(|took| u64::try_from(took.as_millis()).ok()));
        self.efforts.borrow_mut().insert(url, effort);
        Ok(effort)
    }

    /// The page with a link.
    fn page(&self, link: &LinkRow) -> Result<Page, StoreError> {
        let number = link.page_number;
        if let Some(known) = self.page.borrow().as_ref().filter(|known| known.number == number) {
            return Ok(known.clone());
        }
        let title = self.run.page_title(number)?;
        let edit = self.source.and_then(|source| source.of_page(&link.page));
        let page = Page { number, title, edit };
        *self.page.borrow_mut() = Some(page.clone());
        Ok(page)
    }
}
