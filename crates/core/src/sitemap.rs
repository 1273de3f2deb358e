//! Which pages belong in a sitemap, and when they were modified (sitemaps.org protocol 0.9).

use url::Url;

use crate::verdict::Verdict;

/// The longest URL that the protocol allows, in characters.
const LONGEST: usize = 2047;

/// What is known of a page.
#[derive(Debug, Clone, Copy)]
pub struct PageFacts<'a> {
    /// Its URL.
    pub url: &'a str,
    /// Its verdict.
    pub verdict: Verdict,
    /// How many redirects lead on from it.
    pub hops: u32,
    /// It says that search engines should leave it out.
    pub noindex: bool,
    /// The URL that it names as canonical (RFC 6596).
    pub canonical: Option<&'a str>,
}

/// Why a page is left out of a sitemap.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum LeftOut {
    /// It does not work, or it is doubtful whether it does.
    NotWorking,
    /// It only leads to another page.
    Redirect,
    /// It says that search engines should leave it out.
    NoIndex,
    /// It names another page as canonical.
    NotCanonical,
    /// It is on another host than the sitemap, or has another scheme.
    OtherHost,
    /// Its URL is longer than the protocol allows.
    TooLong,
}

impl LeftOut {
    /// The reason in words, after a number of pages.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            LeftOut::NotWorking => "not working",
            LeftOut::Redirect => "redirected",
            LeftOut::NoIndex => "noindex",
            LeftOut::NotCanonical => "not canonical",
            LeftOut::OtherHost => "on another host",
            LeftOut::TooLong => "with a URL of more than 2,047 characters",
        }
    }
}

/// Why a page is left out of the sitemap at `home`; `None` if it belongs in it.
#[must_use]
pub fn left_out(page: PageFacts<'_>, home: &Url) -> Option<LeftOut> {
    let is_own = Url::parse(page.url).is_ok_and(|url| url.origin() == home.origin());
    if page.verdict != Verdict::Sound && page.verdict != Verdict::Moved {
        Some(LeftOut::NotWorking)
    } else if page.hops > 0 || page.verdict == Verdict::Moved {
        Some(LeftOut::Redirect)
    } else if page.noindex {
        Some(LeftOut::NoIndex)
    } else if page.canonical.is_some_and(|canonical| canonical != page.url) {
        Some(LeftOut::NotCanonical)
    } else if !is_own {
        Some(LeftOut::OtherHost)
    } else if page.url.chars().count() > LONGEST {
        Some(LeftOut::TooLong)
    } else {
        None
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    const PAGE: PageFacts<'_> = PageFacts {
        url: "https://a.test/x",
        verdict: Verdict::Sound,
        hops: 0,
        noindex: false,
        canonical: None,
    };

    #[test]
    fn working_canonical_pages_of_the_host_belong_in_a_sitemap() {
        let home = Url::parse("https://a.test/").unwrap();
        let long = format!("https://a.test/{}", "x".repeat(LONGEST));
        let same = PageFacts { canonical: Some("https://a.test/x"), ..PAGE };
        for (page, expected) in [
            (PAGE, None),
            (same, None),
            (PageFacts { verdict: Verdict::Broken, ..PAGE }, Some(LeftOut::NotWorking)),
            (PageFacts { verdict: Verdict::Doubtful, ..PAGE }, Some(LeftOut::NotWorking)),
            (PageFacts { verdict: Verdict::Skipped, ..PAGE }, Some(LeftOut::NotWorking)),
            (PageFacts { verdict: Verdict::Moved, ..PAGE }, Some(LeftOut::Redirect)),
            (PageFacts { hops: 1, ..PAGE }, Some(LeftOut::Redirect)),
            (PageFacts { noindex: true, ..PAGE }, Some(LeftOut::NoIndex)),
            (PageFacts { canonical: Some("https://a.test/"), ..PAGE }, Some(LeftOut::NotCanonical)),
            (PageFacts { url: "http://a.test/x", ..PAGE }, Some(LeftOut::OtherHost)),
            (PageFacts { url: "https://b.test/x", ..PAGE }, Some(LeftOut::OtherHost)),
            (PageFacts { url: &long, ..PAGE }, Some(LeftOut::TooLong)),
            (PageFacts { url: &long[..LONGEST], ..PAGE }, None),
        ] {
            assert_eq!(left_out(page, &home), expected, "{page:?}");
        }
    }
}
