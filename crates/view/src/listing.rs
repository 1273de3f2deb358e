//! How a listing is to look: what stands together, in which order, how much of it.

use std::fmt;
use std::rc::Rc;

use crate::number::{count, counted};
use crate::phrase;

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
#[derive(Debug, Clone)]
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
    /// Where the source of a page is, shown beside its places.
    pub source: Option<Source>,
}

/// Gives the file of a page, by its address.
pub type FileOf = Rc<dyn Fn(&str) -> Option<String>>;

/// Where the source of a page is.
#[derive(Clone)]
pub enum Source {
    /// In an editor: its address, with `{path}` for the path of the page.
    Editor(String),
    /// In a file: its name, by the address of the page.
    File(FileOf),
}

impl Source {
    /// In words: `edit: …`, or file, line and column as terminals make them clickable. A
    /// line of 0 stands for the page.
    pub(crate) fn of(&self, page: &str, line: u32, column: u32) -> Option<String> {
        match self {
            Source::Editor(template) => Some(format!("edit: {}", phrase::editor(template, page))),
            Source::File(name) => {
                let name = name(page)?;
                Some(if line == 0 { name } else { format!("{name}:{line}:{column}") })
            }
        }
    }
}

impl fmt::Debug for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Source::Editor(template) => f.debug_tuple("Editor").field(template).finish(),
            Source::File(_) => f.write_str("File"),
        }
    }
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
        Listing { group, unfold: false, sort: None, limit: None, verbose: false, source: None }
    }
}
