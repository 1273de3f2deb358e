//! The part of a site's pages that one person is responsible for. Each page is in one part.

use crate::url::pattern::Pattern;
use crate::url::reference::path_of;

/// A part of the pages of a site.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Portion {
    /// By patterns, of which the first that matches a page decides.
    Routed {
        /// The patterns, and whether the pages that match are in this part.
        routes: Vec<(Pattern, bool)>,
        /// Whether pages that match none are.
        rest: bool,
    },
    /// The pages in this top folder; those in none if it is empty.
    Folder(String),
}

impl Portion {
    /// Whether a page is in this part.
    #[must_use]
    pub fn takes(&self, page: &str) -> bool {
        match self {
            Portion::Routed { routes, rest } => {
                let first = routes.iter().find(|(pattern, _)| pattern.matches(page));
                first.map_or(*rest, |(_, is_own)| *is_own)
            }
            Portion::Folder(folder) => top_folder(page) == folder,
        }
    }
}

/// The top folder of a page; empty for a page in none.
///
/// ```
/// use rummage_core::findings::portion::top_folder;
///
/// assert_eq!(top_folder("https://a.test/news/2026/?from=/x/"), "news");
/// assert_eq!(top_folder("https://a.test/news"), "");
/// ```
#[must_use]
pub fn top_folder(page: &str) -> &str {
    let path = path_of(page);
    let path = path.split(['?', '#']).next().unwrap_or_default();
    path.trim_start_matches('/').split_once('/').map_or("", |(folder, _)| folder)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_pattern_that_matches_decides() {
        let portion = |own: [bool; 3], rest| {
            let patterns = ["/news/press/*", "/news/*", "/shop/*"].map(Pattern::new);
            Portion::Routed { routes: patterns.into_iter().zip(own).collect(), rest }
        };
        let (ann, rest) = (portion([false, true, true], false), portion([false; 3], true));
        for (page, of_ann, of_rest) in [
            ("http://a.test/news/1", true, false),
            ("http://a.test/news/press/1", false, false),
            ("http://a.test/shop/", true, false),
            ("http://a.test/", false, true),
        ] {
            assert_eq!((ann.takes(page), rest.takes(page)), (of_ann, of_rest), "{page}");
        }
    }

    #[test]
    fn a_page_is_in_one_folder() {
        let news = Portion::Folder("news".to_owned());
        let none = Portion::Folder(String::new());
        for (page, is_news, is_none) in [
            ("http://a.test/news/1/2", true, false),
            ("http://a.test/news", false, true),
            ("http://a.test/?x=/news/", false, true),
            ("http://a.test/old/news/", false, false),
            ("http://a.test", false, true),
        ] {
            assert_eq!((news.takes(page), none.takes(page)), (is_news, is_none), "{page}");
        }
    }
}
