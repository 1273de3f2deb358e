//! Parts that several pages have, such as menus: their links are the same on each of them.

use std::ops::Range;
use std::sync::atomic::{AtomicU64, Ordering};

/// Parts with fewer links are not worth remembering.
const FEWEST_LINKS: usize = 4;

/// The name of a part, while the program runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PartId(u64);

impl PartId {
    /// A name that no other part has.
    #[must_use]
    pub fn unique() -> PartId {
        static NEXT: AtomicU64 = AtomicU64::new(0);
        PartId(NEXT.fetch_add(1, Ordering::Relaxed))
    }
}

/// Where a part is in the list of a page's links. Wherever a part is, it has the same links, except
/// for their lines and columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SharedPart {
    /// The positions of its links.
    pub links: Range<usize>,
    /// Its name.
    pub id: PartId,
}

/// The parts of a page that are known to be shared, in order. They are no part of what a page says:
/// two pages may be equal although the parts of one were not known yet.
#[derive(Debug, Clone, Default)]
pub(super) struct SharedParts(Vec<SharedPart>);

impl PartialEq for SharedParts {
    fn eq(&self, _: &SharedParts) -> bool {
        true
    }
}

impl Eq for SharedParts {}

impl SharedParts {
    pub(super) fn add(&mut self, links: Range<usize>, id: PartId) {
        if links.len() >= FEWEST_LINKS {
            self.0.push(SharedPart { links, id });
        }
    }

    pub(super) fn as_slice(&self) -> &[SharedPart] {
        &self.0
    }
}
