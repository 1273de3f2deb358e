//! How a listing is to look: what stands together, in which order, how much of it.

use crate::number::{count, counted};

/// What stands together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Group {
    /// A target with the places that name it.
    Target,
    /// A page with what is wrong on it.
    Page,
    /// A host with what fails there, and how.
    Host,
    /// A cause with the targets that it befell.
    Cause,
    /// Nothing: a row a link.
    None,
}

/// By what to sort, and which way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sort {
    /// The name of a column.
    pub key: String,
    /// The greatest first.
    pub descending: bool,
}

/// How a listing is to look.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listing {
    /// What stands together.
    pub group: Group,
    /// A link on many pages is told once for each.
    pub unfold: bool,
    /// The order; by itself the worst comes first.
    pub sort: Option<Sort>,
    /// At most so many groups or rows.
    pub limit: Option<usize>,
    /// Why one comes before another is told, and what else is of use to few.
    pub verbose: bool,
    /// Where the editor of a page is, with `{path}` for its path.
    pub editor_link: Option<String>,
}

impl Listing {
    /// How many of all are shown, where that is not all: `4 of 33 pages shown`.
    pub(crate) fn cut(&self, all: u64, one: &str, many: &str) -> Option<String> {
        let limit = self.limit.map(|limit| limit as u64).filter(|limit| *limit < all)?;
        Some(format!("{} of {} shown", count(limit), counted(all, one, many)))
    }

    /// The preset: worst first, parts of many pages folded.
    #[must_use]
    pub fn by(group: Group) -> Listing {
        Listing { group, unfold: false, sort: None, limit: None, verbose: false, editor_link: None }
    }
}
