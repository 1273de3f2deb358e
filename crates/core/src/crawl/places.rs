//! Which fragments lack a place on their page, in whatever order links and pages come.

use std::collections::{BTreeMap, HashMap};

use super::messages::{AddressId, Place};
use crate::fragment::{Found, Places, find};

#[derive(Debug, Default)]
pub(super) struct PlaceBook {
    /// Pages that were read to their end.
    pages: HashMap<AddressId, Places>,
    /// Fragments that links name, and whether they were judged, by the address named.
    wanted: HashMap<AddressId, BTreeMap<String, bool>>,
}

impl PlaceBook {
    /// A page was read to its end.
    pub(super) fn handle_page(&mut self, page: AddressId, places: Places) {
        self.pages.insert(page, places);
    }

    /// A link names a fragment. Gives whether it was not named before.
    pub(super) fn handle_wanted(&mut self, address: AddressId, fragment: &str) -> bool {
        let wanted = self.wanted.entry(address).or_default();
        if wanted.contains_key(fragment) {
            return false;
        }
        wanted.insert(fragment.to_owned(), false);
        true
    }

    /// Judges the fragments of an address whose redirects end at `page`, as far
    /// as they were not judged before: gives those that have no place there.
    pub(super) fn poll_missing(
        &mut self,
        address: AddressId,
        page: AddressId,
    ) -> Vec<(String, Place)> {
        let (Some(places), Some(wanted)) = (self.pages.get(&page), self.wanted.get_mut(&address))
        else {
            return Vec::new();
        };
        let mut missing = Vec::new();
        for (fragment, judged) in wanted.iter_mut().filter(|(_, judged)| !**judged) {
            *judged = true;
            match find(places, fragment) {
                Found::Yes => {}
                Found::No => missing.push((fragment.clone(), Place::Missing)),
                Found::ForScript => missing.push((fragment.clone(), Place::ForScript)),
            }
        }
        missing
    }
}
