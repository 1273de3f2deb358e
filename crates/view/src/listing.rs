//! How links are listed: grouped by what, in which order, how many.

use std::fmt;
use std::rc::Rc;

use crate::heading::Heading;
use crate::number::{count, counted};
use crate::phrase;

/// What links are grouped by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Group {
    /// By target, each with the links to it.
    Target,
    /// By page, each with the broken links on it.
    Page,
    /// By host, each with its failing targets.
    Host,
    /// By cause, each with its targets.
    Cause,
    /// Not grouped: one row per link.
    None,
}

/// A sort key and direction.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sort {
    /// The name of a column.
    pub key: String,
    /// Whether the greatest comes first.
    pub descending: bool,
}

/// How links are listed.
#[derive(Debug, Clone)]
pub struct Listing {
    /// What links are grouped by.
    pub group: Group,
    /// Lists every occurrence, and each copy of a link shared by many pages.
    pub unfold: bool,
    /// The order; by default, worst first.
    pub sort: Option<Sort>,
    /// The maximum number of groups or rows.
    pub limit: Option<usize>,
    /// Shows why one finding comes before another, and other details.
    pub verbose: bool,
    /// Where the source of a page is, shown with each occurrence.
    pub source: Option<Source>,
    /// Shows the counts again at the end of a long list, because its head has scrolled away.
    pub recap: bool,
    /// Masks values in URLs that look like secrets; by default, in reports to hand over.
    pub mask_secrets: Option<bool>,
    /// What stands above a report in HTML.
    pub heading: Heading,
}

/// Returns the file of a page, by its URL.
pub type FileOf = Rc<dyn Fn(&str) -> Option<String>>;

/// Where the source of a page is.
#[derive(Clone)]
pub enum Source {
    /// In an editor: its URL, with `{path}` for the path of the page.
    Editor(String),
    /// In a file: its name, by the URL of the page.
    File(FileOf),
}

impl Source {
    /// The URL of a page's editor, or its file.
    pub(crate) fn of_page(&self, page: &str) -> Option<String> {
        match self {
            Source::Editor(template) => Some(phrase::editor(template, page)),
            Source::File(name) => name(page),
        }
    }

    /// The same for a place on the page, as far as it can be named.
    pub(crate) fn place(&self, of_page: &str, line: u32, column: u32) -> String {
        match self {
            Source::File(_) if line > 0 => format!("{of_page}:{line}:{column}"),
            _ => of_page.to_owned(),
        }
    }

    /// As text: `edit: …`, or file, line and column in the form that terminals make clickable. A
    /// line of 0 means the whole page.
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
    /// How many of all are shown, unless all are: `4 of 33 pages shown`.
    pub(crate) fn cut(&self, all: u64, one: &str, many: &str) -> Option<String> {
        let limit = self.limit.map(|limit| limit as u64).filter(|limit| *limit < all)?;
        Some(format!("{} of {} shown", count(limit), counted(all, one, many)))
    }

    /// The default listing: worst first, shared links folded.
    #[must_use]
    pub fn by(group: Group) -> Listing {
        Listing {
            group,
            unfold: false,
            sort: None,
            limit: None,
            verbose: false,
            source: None,
            recap: false,
            mask_secrets: None,
            heading: Heading::default(),
        }
    }
}
