//! Groups links by the page they appear on.
//!
//! Links shared by many pages are listed separately, once: fixing them takes one edit.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::shared::is_shared;
use rummage_store::{LinkMatch, LinkQuery, StoreError};

use crate::ViewError;
use crate::columns::Cell;
use crate::listing::Listing;

/// A page with matching links. Its links are queried when it is shown: ten million links are not
/// kept in memory.
pub(crate) struct Page {
    pub(crate) rank: u32,
    pub(crate) links: u32,
}

impl Page {
    /// Its links in source order, without those shared by many pages.
    pub(crate) fn found(
        &self,
        query: &LinkQuery<'_>,
        listing: &Listing,
    ) -> Result<Vec<LinkMatch>, StoreError> {
        let mut own = Vec::new();
        for found in query.on_page(self.rank)? {
            if !is_folded(query, &found, listing)? {
                own.push(found);
            }
        }
        Ok(own)
    }
}

fn is_folded(
    query: &LinkQuery<'_>,
    found: &LinkMatch,
    listing: &Listing,
) -> Result<bool, StoreError> {
    let all = query.run().page_count()?;
    Ok(!listing.unfold && is_shared(query.pages_of(found), all, query.region(found)?))
}

/// All matching links, by page.
pub(crate) struct Pages {
    /// The first occurrence of each link shared by many pages.
    pub(crate) shared: Vec<LinkMatch>,
    pub(crate) pages: Vec<Page>,
}

impl Pages {
    /// Groups the links of a query, in the order of the listing.
    pub(crate) fn of(query: &LinkQuery<'_>, listing: &Listing) -> Result<Pages, ViewError> {
        let mut grouped = Pages { shared: Vec::new(), pages: Vec::new() };
        let mut known = HashSet::new();
        query.for_each(|found| {
            if is_folded(query, found, listing)? {
                if known.insert(query.fold(found)) {
                    grouped.shared.push(*found);
                }
                return Ok(());
            }
            match grouped.pages.last_mut().filter(|page| page.rank == found.page) {
                Some(page) => page.links += 1,
                None => grouped.pages.push(Page { rank: found.page, links: 1 }),
            }
            Ok::<_, StoreError>(())
        })?;
        sort(query, &mut grouped.pages, listing)?;
        Ok(grouped)
    }
}

/// Sorts by rank, or by a key: `page`, `title`, `depth`, `links`.
fn sort(query: &LinkQuery<'_>, pages: &mut [Page], listing: &Listing) -> Result<(), ViewError> {
    let Some(sort) = &listing.sort else { return Ok(()) };
    let run = query.run();
    let mut keys = HashMap::new();
    for page in pages.iter() {
        let url = run.page_at(page.rank);
        let key = match sort.key.as_str() {
            "title" => run.page(url)?.and_then(|page| page.title).unwrap_or_default().into(),
            "depth" => {
                run.depth_at(page.rank).map_or(Cell::Nothing, |depth| Cell::Number(depth.into()))
            }
            "links" => Cell::Number(page.links.into()),
            _ => run.url(url)?.into(),
        };
        keys.insert(page.rank, key);
    }
    pages.sort_by(|one, other| crate::rows::compare(&keys[&one.rank], &keys[&other.rank], sort));
    Ok(())
}
