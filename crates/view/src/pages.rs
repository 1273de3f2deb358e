//! Gathers the links that fit by the page that has them.
//!
//! What stands on many pages stands apart, once: it is one edit.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::shared::is_shared;
use rummage_store::{Found, Sift, StoreError};

use crate::ViewError;
use crate::cells::Cell;
use crate::listing::Listing;

/// A page with links that fit. They are sifted once more when it is shown: ten million
/// links are not held.
pub(crate) struct Page {
    pub(crate) rank: u32,
    pub(crate) links: u32,
}

impl Page {
    /// Its links but those that stand on many pages, in source order.
    pub(crate) fn found(
        &self,
        sift: &Sift<'_>,
        listing: &Listing,
    ) -> Result<Vec<Found>, StoreError> {
        let mut own = Vec::new();
        for found in sift.on_page(self.rank)? {
            if !is_folded(sift, &found, listing)? {
                own.push(found);
            }
        }
        Ok(own)
    }
}

fn is_folded(sift: &Sift<'_>, found: &Found, listing: &Listing) -> Result<bool, StoreError> {
    let all = sift.run().page_count()?;
    Ok(!listing.unfold && is_shared(sift.pages_of(found), all, sift.region(found)?))
}

/// All that fits, by page.
pub(crate) struct Pages {
    /// The first place of each link that stands on many pages.
    pub(crate) shared: Vec<Found>,
    pub(crate) pages: Vec<Page>,
}

impl Pages {
    /// Gathers what a sift gives, in the order that was asked for.
    pub(crate) fn of(sift: &Sift<'_>, listing: &Listing) -> Result<Pages, ViewError> {
        let mut gathered = Pages { shared: Vec::new(), pages: Vec::new() };
        let mut known = HashSet::new();
        sift.for_each(|found| {
            if is_folded(sift, found, listing)? {
                if known.insert(sift.fold(found)) {
                    gathered.shared.push(*found);
                }
                return Ok(());
            }
            match gathered.pages.last_mut().filter(|page| page.rank == found.page) {
                Some(page) => page.links += 1,
                None => gathered.pages.push(Page { rank: found.page, links: 1 }),
            }
            Ok::<_, StoreError>(())
        })?;
        sort(sift, &mut gathered.pages, listing)?;
        Ok(gathered)
    }
}

/// By rank, or as was asked: `page`, `title`, `depth`, `links`.
fn sort(sift: &Sift<'_>, pages: &mut [Page], listing: &Listing) -> Result<(), ViewError> {
    let Some(sort) = &listing.sort else { return Ok(()) };
    let run = sift.run();
    let mut keys = HashMap::new();
    for page in pages.iter() {
        let address = run.page_at(page.rank);
        let key = match sort.key.as_str() {
            "title" => run.page(address)?.and_then(|page| page.title).unwrap_or_default().into(),
            "depth" => {
                run.depth_at(page.rank).map_or(Cell::Nothing, |depth| Cell::Number(depth.into()))
            }
            "links" => Cell::Number(page.links.into()),
            _ => run.url(address)?.into(),
        };
        keys.insert(page.rank, key);
    }
    pages.sort_by(|one, other| crate::rows::compare(&keys[&one.rank], &keys[&other.rank], sort));
    Ok(())
}
