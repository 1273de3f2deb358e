//! Which links of a run may have another verdict than their URL.

use std::collections::{HashMap, HashSet};

use rummage_core::crawl::FragmentFault;
use rummage_core::verdict::Cause;
use rusqlite::Connection;

use crate::codec::contents::{LinkContent, Written};
use crate::db::error::StoreError;
use crate::db::row::word;

/// Faults that links may have apart from their URL.
#[derive(Debug, Default)]
pub(crate) struct LinkFaults {
    /// Fragment faults, by URL and fragment.
    pub(crate) fragments: HashMap<u32, HashMap<String, FragmentFault>>,
    faults: HashMap<u32, Faults>,
}

/// Faults of links to one URL, other than their fragments.
#[derive(Debug, Default)]
struct Faults {
    /// The URL is a page where another type is expected.
    is_page: bool,
    /// There are others than placeholders.
    others: bool,
    /// Source texts of placeholders.
    placeholders: HashSet<Box<str>>,
}

impl LinkFaults {
    pub(crate) fn of_run(db: &Connection, run: i64) -> Result<LinkFaults, StoreError> {
        let mut link_faults = LinkFaults::default();
        let mut select =
            db.prepare("SELECT address, fragment, place FROM no_place WHERE run = ?1")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let fault = word(row, 2, FragmentFault::named)?;
            link_faults.fragments.entry(row.get(0)?).or_default().insert(row.get(1)?, fault);
        }
        let mut select =
            db.prepare("SELECT DISTINCT target, cause, written FROM link_fault WHERE run = ?1")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let faults = link_faults.faults.entry(row.get(0)?).or_default();
            match word(row, 1, Cause::named)? {
                Cause::Placeholder => {
                    faults.placeholders.insert(row.get(2)?);
                }
                cause => {
                    faults.others = true;
                    faults.is_page |= cause == Cause::WrongType;
                }
            }
        }
        Ok(link_faults)
    }

    /// Whether links to a URL may have another verdict than the URL.
    pub(crate) fn concerns(&self, url: u32) -> bool {
        self.fragments.contains_key(&url) || self.faults.contains_key(&url)
    }

    /// The same for one of its links. Most links to a page that lacks one anchor name another, or
    /// none.
    pub(crate) fn concerns_link(&self, url: u32, link: &LinkContent<'_>) -> bool {
        let lacks = |named| self.fragments.get(&url).is_some_and(|of| of.contains_key(named));
        link.fragment.is_some_and(lacks)
            || self.faults.get(&url).is_some_and(|faults| faults.concerns(link))
    }

    /// Whether a URL is a page where links to it expect another type.
    pub(crate) fn is_page(&self, url: u32) -> bool {
        self.faults.get(&url).is_some_and(|faults| faults.is_page)
    }
}

impl Faults {
    fn concerns(&self, link: &LinkContent<'_>) -> bool {
        self.others
            || match link.written {
                Written::Other(text) => self.placeholders.contains(text.trim()),
                // As the text of a URL, it is neither empty nor a mere fragment.
                Written::Whole | Written::Path => {
                    let is_short = |text: &str| text.is_empty() || text.starts_with('#');
                    !self.placeholders.iter().all(|text| is_short(text))
                }
            }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whether a link that is written so may be one of these placeholders.
    fn concerned(placeholders: &[&str], written: Written<'_>) -> bool {
        let placeholders = placeholders.iter().map(|text| Box::from(*text)).collect();
        let faults = HashMap::from([(7, Faults { placeholders, ..Faults::default() })]);
        let link_faults = LinkFaults { faults, ..LinkFaults::default() };
        let link = LinkContent {
            element: 1,
            attribute: 1,
            region: None,
            ancestor_hash: 0,
            scripted: false,
            written,
            fragment: None,
            text: None,
            rel: None,
            title: None,
        };
        assert!(!link_faults.concerns_link(8, &link), "another URL");
        link_faults.concerns_link(7, &link)
    }

    #[test]
    fn placeholders_are_known_by_their_text() {
        assert!(concerned(&["#", ""], Written::Other(" # ")));
        assert!(!concerned(&["#", ""], Written::Other("there.html")));
        assert!(!concerned(&["#", ""], Written::Path) && !concerned(&["#"], Written::Whole));
        let example = ["#", "https://www.example.test/x"];
        assert!(concerned(&example, Written::Whole) && concerned(&example, Written::Path));
        assert!(!concerned(&example, Written::Other("#x")));
    }
}
