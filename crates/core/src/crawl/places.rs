//! Which fragments lack a place on their page, in whatever order links and pages come.

use std::collections::{BTreeMap, HashMap};

use super::messages::{AddressId, Place};
use crate::url::fragment::{Found, Places, find};

#[derive(Debug, Default)]
pub(super) struct PlaceBook {
    /// Pages that were read to their end.
    pages: HashMap<AddressId, Places>,
    /// Fragments that links name, by the address named.
    wanted: HashMap<AddressId, BTreeMap<String, Wanted>>,
}

/// How a fragment is named, and whether it was judged.
#[derive(Debug, Clone, Copy)]
struct Wanted {
    judged: bool,
    /// Only by links that a script acts on.
    by_script: bool,
}

impl PlaceBook {
    /// A page was read to its end.
    pub(super) fn handle_page(&mut self, page: AddressId, places: Places) {
        self.pages.insert(page, places);
    }

    /// A link names a fragment; `scripted`, if a script acts on it. Gives whether there
    /// is something new to judge.
    pub(super) fn handle_wanted(
        &mut self,
        address: AddressId,
        fragment: &str,
        scripted: bool,
    ) -> bool {
        let of_address = self.wanted.entry(address).or_default();
        match of_address.get_mut(fragment) {
            Some(known) if known.by_script && !scripted => {
                *known = Wanted { judged: false, by_script: false };
                true
            }
            Some(_) => false,
            None => {
                of_address
                    .insert(fragment.to_owned(), Wanted { judged: false, by_script: scripted });
                true
            }
        }
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
        for (fragment, wanted) in wanted.iter_mut().filter(|(_, wanted)| !wanted.judged) {
            wanted.judged = true;
            match find(places, fragment) {
                Found::Yes => {}
                Found::No if wanted.by_script => missing.push((fragment.clone(), Place::ForScript)),
                Found::No => missing.push((fragment.clone(), Place::Missing)),
                Found::ForScript => missing.push((fragment.clone(), Place::ForScript)),
            }
        }
        missing
    }
}
