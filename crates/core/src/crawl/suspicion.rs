//! Whether the result of a crawl can be believed: a maintenance page with status 200 has no broken
//! links either.

use url::Url;

use crate::evidence::landing::{RedirectLanding, sent};

/// Why the result of a crawl is not believed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Suspicion {
    /// The start page has no links, and nothing else leads on.
    NoLinks,
    /// The start URL ends at a login page.
    Login,
    /// The start URL ends at a consent page.
    Consent,
    /// The crawl found less than half of the pages of the last one.
    FewPages {
        /// Pages that were parsed.
        pages: u64,
        /// Pages that the last crawl with the same bounds parsed.
        before: u64,
    },
}

/// What a crawl found, as far as that can be suspicious.
#[derive(Debug, Clone, Copy)]
pub struct CrawlResult<'a> {
    /// The start URL as given, if it is one.
    pub given: Option<&'a Url>,
    /// Where it ended.
    pub start: &'a Url,
    /// Whether the start page has links that visitors can follow. True if it is rendered by
    /// JavaScript, which is another matter.
    pub has_links: bool,
    /// Pages that were parsed.
    pub pages: u64,
    /// Pages that the last crawl with the same bounds parsed.
    pub before: Option<u64>,
}

/// A second result like this, so many seconds later, is believed: nearly a day, since daily jobs
/// do not start to the second.
const CONFIRMED_AFTER: i64 = 20 * 60 * 60;

/// Why a result is not believed, if it is not.
#[must_use]
pub fn suspicion(result: &CrawlResult<'_>) -> Option<Suspicion> {
    let CrawlResult { given, start, has_links, pages, before } = *result;
    match sent(given.unwrap_or(start), start, false, false) {
        Some(RedirectLanding::Login) => return Some(Suspicion::Login),
        Some(RedirectLanding::Consent) => return Some(Suspicion::Consent),
        Some(RedirectLanding::Home) | None => {}
    }
    let fewer = before.filter(|before| pages * 2 < *before);
    match fewer {
        // A sitemap may lead on.
        _ if !has_links && pages <= 1 => Some(Suspicion::NoLinks),
        Some(before) => Some(Suspicion::FewPages { pages, before }),
        None => None,
    }
}

impl Suspicion {
    /// Whether this result, found `seconds` after an earlier one, confirms it.
    #[must_use]
    pub fn confirms(self, earlier: Suspicion, seconds: i64) -> bool {
        let is_same = match (self, earlier) {
            (Suspicion::FewPages { pages, .. }, Suspicion::FewPages { pages: then, .. }) => {
                pages * 2 >= then && pages <= then * 2
            }
            _ => self == earlier,
        };
        is_same && seconds >= CONFIRMED_AFTER
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn url(text: &str) -> Url {
        Url::parse(text).unwrap()
    }

    #[test]
    fn a_result_is_suspicious_if_the_site_seems_to_be_elsewhere() {
        let home = url("https://a.test/");
        let fine = CrawlResult {
            given: Some(&home),
            start: &home,
            has_links: true,
            pages: 5,
            before: Some(10),
        };
        assert_eq!(suspicion(&fine), None);
        assert_eq!(suspicion(&CrawlResult { before: None, pages: 1, ..fine }), None);
        let few = Suspicion::FewPages { pages: 4, before: 10 };
        assert_eq!(suspicion(&CrawlResult { pages: 4, ..fine }), Some(few));
        let blank = CrawlResult { has_links: false, pages: 1, ..fine };
        assert_eq!(suspicion(&blank), Some(Suspicion::NoLinks));
        assert_eq!(suspicion(&CrawlResult { before: None, ..blank }), Some(Suspicion::NoLinks));
        let listed = CrawlResult { has_links: false, before: None, ..fine };
        assert_eq!(suspicion(&listed), None, "a sitemap leads on");
        let login = url("https://a.test/login?next=%2F");
        let sent = CrawlResult { start: &login, ..fine };
        assert_eq!(suspicion(&sent), Some(Suspicion::Login));
        assert_eq!(suspicion(&CrawlResult { given: Some(&login), ..sent }), None, "as requested");
        assert_eq!(suspicion(&CrawlResult { given: None, ..sent }), None, "that is not known");
        let consent = url("https://consent.a.test/");
        let sent = CrawlResult { start: &consent, ..fine };
        assert_eq!(suspicion(&sent), Some(Suspicion::Consent));
        let deep = url("https://a.test/docs/");
        assert_eq!(
            suspicion(&CrawlResult { given: Some(&deep), ..fine }),
            None,
            "to the home page"
        );
    }

    #[test]
    fn the_same_result_a_day_later_confirms_it() {
        let few = |pages| Suspicion::FewPages { pages, before: 100 };
        for (now, then, hours, confirms) in [
            (few(10), few(10), 20, true),
            (few(10), few(10), 19, false),
            (few(10), few(20), 24, true),
            (few(10), few(21), 24, false),
            (few(10), few(5), 24, true),
            (few(10), few(4), 24, false),
            (Suspicion::NoLinks, Suspicion::NoLinks, 24, true),
            (Suspicion::NoLinks, Suspicion::Login, 24, false),
            (few(1), Suspicion::NoLinks, 24, false),
        ] {
            assert_eq!(now.confirms(then, hours * 3600), confirms, "{now:?} {then:?} {hours}");
        }
    }
}
