//! The one set of filters that every listing takes.
//!
//! Filters of different kinds must all fit; of several of one kind, one must.

use crate::url::pattern::Pattern;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

/// Which links a listing shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Selection {
    /// The verdicts that are shown. Never empty.
    pub verdicts: Vec<Verdict>,
    /// The causes; empty: all.
    pub causes: Vec<Cause>,
    /// The statuses; empty: all, and what has none.
    pub statuses: Vec<Status>,
    /// On which side of the bounds the target lies; `None`: on any.
    pub scope: Option<Scope>,
    /// The elements; empty: all.
    pub elements: Vec<String>,
    /// Patterns for the host of the target; empty: all.
    pub hosts: Vec<Pattern>,
    /// Patterns for the target; empty: all.
    pub targets: Vec<Pattern>,
    /// Patterns for the page that has the link; empty: all.
    pub pages: Vec<Pattern>,
    /// Words that must stand in the link text, all of them, in small letters.
    pub text: Vec<String>,
    /// Words that must stand in target, page, link text or what is written, all of
    /// them, in small letters.
    pub search: Vec<String>,
    /// What has become of it over the runs; empty: all.
    pub standings: Vec<Standing>,
}

/// A status code, or a class of them (RFC 9110 §15).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Status {
    /// This one.
    Code(u16),
    /// Those that begin with this digit, such as `5xx`.
    Class(u16),
}

/// The verdict on a finding over the runs of a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Standing {
    /// The run before could have seen it, and did not.
    New,
    /// It was there before.
    Open,
    /// It was there before, and is not any more.
    Healed,
    /// It had healed, and is back.
    Returned,
    /// Somebody has set it aside.
    Waived,
}

impl Standing {
    /// All of them.
    pub const ALL: [Standing; 5] =
        [Standing::New, Standing::Open, Standing::Healed, Standing::Returned, Standing::Waived];

    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Standing::New => "new",
            Standing::Open => "open",
            Standing::Healed => "healed",
            Standing::Returned => "returned",
            Standing::Waived => "waived",
        }
    }

    /// The standing of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Standing> {
        Standing::ALL.into_iter().find(|standing| standing.as_str() == name)
    }
}

impl Status {
    /// Reads `404` or `5xx`.
    #[must_use]
    pub fn parse(text: &str) -> Option<Status> {
        let number = |text: &str| {
            let digits = text.bytes().all(|b| b.is_ascii_digit());
            text.parse().ok().filter(|_| digits)
        };
        match text.strip_suffix("xx").or(text.strip_suffix("XX")) {
            Some(class) => number(class).filter(|class| (1..=9).contains(class)).map(Status::Class),
            None => number(text).filter(|code| (100..=999).contains(code)).map(Status::Code),
        }
    }

    /// Whether a status is meant.
    #[must_use]
    pub fn takes(self, status: u16) -> bool {
        match self {
            Status::Code(code) => code == status,
            Status::Class(class) => status / 100 == class,
        }
    }
}

impl Default for Selection {
    /// The findings: what somebody may have to mend.
    fn default() -> Selection {
        Selection::of(&[Verdict::Broken, Verdict::Doubtful, Verdict::Moved])
    }
}

impl Selection {
    /// Every link with one of these verdicts.
    #[must_use]
    pub fn of(verdicts: &[Verdict]) -> Selection {
        Selection {
            verdicts: verdicts.to_vec(),
            causes: Vec::new(),
            statuses: Vec::new(),
            scope: None,
            elements: Vec::new(),
            hosts: Vec::new(),
            targets: Vec::new(),
            pages: Vec::new(),
            text: Vec::new(),
            search: Vec::new(),
            standings: Vec::new(),
        }
    }

    /// Every link, the sound ones and those not checked too.
    #[must_use]
    pub fn all() -> Selection {
        Selection::of(&Verdict::ALL)
    }

    /// Whether it narrows by more than the verdict.
    #[must_use]
    pub fn is_narrow(&self) -> bool {
        *self != Selection::of(&self.verdicts)
    }

    /// Whether a link with this verdict is shown.
    #[must_use]
    pub fn takes(&self, verdict: Verdict) -> bool {
        self.verdicts.contains(&verdict)
    }

    /// Whether a link with this verdict, cause and status is shown.
    #[must_use]
    pub fn takes_verdict(
        &self,
        verdict: Verdict,
        cause: Option<Cause>,
        status: Option<u16>,
    ) -> bool {
        let status_fits =
            || status.is_some_and(|status| self.statuses.iter().any(|own| own.takes(status)));
        self.takes(verdict)
            && (self.causes.is_empty() || cause.is_some_and(|cause| self.causes.contains(&cause)))
            && (self.statuses.is_empty() || status_fits())
    }

    /// Whether links to this address are shown, whatever is said of it.
    #[must_use]
    pub fn takes_url(&self, url: &str, scope: Option<Scope>) -> bool {
        (self.scope.is_none() || self.scope == scope)
            && (self.hosts.is_empty() || any(&self.hosts, host_of(url)))
            && (self.targets.is_empty() || any(&self.targets, url))
    }

    /// Whether links on this page are shown.
    #[must_use]
    pub fn takes_page(&self, url: &str) -> bool {
        self.pages.is_empty() || any(&self.pages, url)
    }

    /// Whether links in this element, with this text, are shown.
    #[must_use]
    pub fn takes_link(&self, element: &str, text: Option<&str>) -> bool {
        (self.elements.is_empty() || self.elements.iter().any(|own| own == element))
            && (self.text.is_empty() || {
                let text = text.unwrap_or_default().to_lowercase();
                self.text.iter().all(|word| text.contains(word))
            })
    }

    /// Whether links are shown that are set aside, or that are not: the former only where
    /// they are asked for, or all is.
    #[must_use]
    pub fn takes_waived(&self, waived: bool) -> bool {
        match (self.standings.as_slice(), waived) {
            ([], true) => self.takes(Verdict::Sound),
            ([], false) => true,
            (some, true) => some.contains(&Standing::Waived),
            (some, false) => some != [Standing::Waived],
        }
    }

    /// Whether something is asked of the link itself, beside its target and page.
    #[must_use]
    pub fn asks_links(&self) -> bool {
        !(self.elements.is_empty() && self.text.is_empty() && self.search.is_empty())
    }

    /// Whether all words that are searched stand in one of these texts or another.
    #[must_use]
    pub fn finds<'a>(&self, texts: impl Iterator<Item = &'a str> + Clone) -> bool {
        let is_in = |word: &String| texts.clone().any(|text| contains(text, word));
        self.search.iter().all(is_in)
    }
}

fn any(patterns: &[Pattern], text: &str) -> bool {
    patterns.iter().any(|pattern| pattern.matches(text))
}

/// Whether a text holds a word that is written in small letters.
fn contains(text: &str, word: &str) -> bool {
    text.contains(word) || text.to_lowercase().contains(word)
}

/// Host, and port where one is written, of an address; the whole of what has none.
#[must_use]
pub fn host_of(url: &str) -> &str {
    let Some((_, rest)) = url.split_once("://") else { return url };
    rest.split(['/', '?', '#']).next().unwrap_or(rest)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn kinds_of_filters_must_all_fit_and_of_a_kind_one() {
        let mut selection = Selection::of(&[Verdict::Broken]);
        selection.causes = vec![Cause::NotFound, Cause::ServerError];
        selection.statuses = vec![Status::Code(404), Status::Class(5)];
        let takes = |cause, status| selection.takes_verdict(Verdict::Broken, Some(cause), status);
        assert!(takes(Cause::NotFound, Some(404)) && takes(Cause::ServerError, Some(503)));
        assert!(!takes(Cause::NotFound, None) && !takes(Cause::Gone, Some(404)));
        assert!(!selection.takes_verdict(Verdict::Sound, Some(Cause::NotFound), Some(404)));
        assert!(!selection.takes_verdict(Verdict::Broken, None, Some(404)));
    }

    #[test]
    fn statuses_are_codes_and_classes() {
        assert_eq!(Status::parse("404"), Some(Status::Code(404)));
        assert_eq!(Status::parse("5xx"), Some(Status::Class(5)));
        for text in ["", "4", "40", "4x", "xx", "0xx", "10xx", "99", "1000", "+404", "4 04"] {
            assert_eq!(Status::parse(text), None, "{text}");
        }
        assert!(Status::Class(9).takes(999) && !Status::Class(4).takes(500));
    }

    #[test]
    fn hosts_targets_and_pages_are_patterns() {
        let mut selection = Selection::all();
        selection.hosts = vec![Pattern::new("*.b.test")];
        assert!(selection.takes_url("https://www.b.test/x", None));
        assert!(!selection.takes_url("https://a.test/?x=www.b.test", None));
        selection.targets = vec![Pattern::new("/x*")];
        assert!(selection.takes_url("https://www.b.test/xy", None));
        assert!(!selection.takes_url("https://www.b.test/y", None));
        selection.scope = Some(Scope::Internal);
        assert!(!selection.takes_url("https://www.b.test/xy", Some(Scope::External)));
        selection.pages = vec![Pattern::new("/news/")];
        assert!(
            selection.takes_page("https://a.test/news/")
                && !selection.takes_page("https://a.test/")
        );
    }

    #[test]
    fn words_are_found_whatever_their_case() {
        let mut selection = Selection::all();
        selection.text = vec!["opening".to_owned(), "hours".to_owned()];
        assert!(selection.takes_link("a", Some("Opening Hours 2026")));
        assert!(!selection.takes_link("a", Some("Opening")) && !selection.takes_link("a", None));
        selection.search = vec!["überfahrt".to_owned(), "b.test".to_owned()];
        assert!(selection.finds(["https://b.test/", "ÜBERFAHRT"].into_iter()));
        assert!(!selection.finds(["https://b.test/"].into_iter()));
    }

    #[test]
    fn the_host_is_what_stands_before_the_path() {
        assert_eq!(host_of("https://a.test:8443/x"), "a.test:8443");
        assert_eq!(host_of("http://a.test?x"), "a.test");
        assert_eq!(host_of("mailto:x@a.test"), "mailto:x@a.test");
    }
}
