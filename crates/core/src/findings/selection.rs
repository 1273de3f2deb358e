//! The filters that every listing takes.
//!
//! A link must match every kind of filter that is given, and one value of each kind.

use std::fmt;

use super::portion::Portion;
use crate::url::pattern::Pattern;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

/// Which links a listing shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Selection {
    /// The verdicts to show. Never empty.
    pub verdicts: Vec<Verdict>,
    /// The causes; empty for all.
    pub causes: Vec<Cause>,
    /// The status codes; empty for all, and for links without one.
    pub statuses: Vec<Status>,
    /// The scope of the target; `None` for both.
    pub scope: Option<Scope>,
    /// The elements; empty for all.
    pub elements: Vec<String>,
    /// Patterns for the host of the target; empty for all.
    pub hosts: Vec<Pattern>,
    /// Patterns for the target; empty for all.
    pub targets: Vec<Pattern>,
    /// Patterns for targets to leave out.
    pub excepts: Vec<Pattern>,
    /// Patterns for the page with the link; empty for all.
    pub pages: Vec<Pattern>,
    /// The part of the pages that one reader is responsible for; `None` for all.
    pub portion: Option<Portion>,
    /// Words of the `rel` attribute, in lower case; empty for all.
    pub rels: Vec<String>,
    /// Words that must all be in the link text, in lower case.
    pub text: Vec<String>,
    /// Words that must all be in the target, page, link text or source text, in lower case.
    pub search: Vec<String>,
    /// The standings; empty for all.
    pub standings: Vec<Standing>,
    /// Only links to pages that were not parsed for links.
    pub not_parsed: bool,
    /// The first run whose new findings match; `None` for all.
    pub found_from: Option<i64>,
}

/// A status code, or a class of them (RFC 9110 §15).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Status {
    /// A single code.
    Code(u16),
    /// All codes with this first digit, such as `5xx`.
    Class(u16),
}

/// The state of a finding across the runs of a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Standing {
    /// The previous run could have found it, and did not.
    New,
    /// It was there before.
    Open,
    /// It was there before, and no longer is.
    Healed,
    /// It was fixed, and is back.
    Returned,
    /// A waiver covers it.
    Waived,
}

impl Standing {
    /// All standings.
    pub const ALL: [Standing; 5] =
        [Standing::New, Standing::Open, Standing::Healed, Standing::Returned, Standing::Waived];

    /// Its name in every output.
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

    /// The standing with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Standing> {
        Standing::ALL.into_iter().find(|standing| standing.as_str() == name)
    }
}

impl Status {
    /// Parses `404` or `5xx`.
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

    /// Whether a status matches.
    #[must_use]
    pub fn takes(self, status: u16) -> bool {
        match self {
            Status::Code(code) => code == status,
            Status::Class(class) => status / 100 == class,
        }
    }
}

impl fmt::Display for Status {
    /// As [`Status::parse`] takes it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Status::Code(code) => write!(f, "{code}"),
            Status::Class(class) => write!(f, "{class}xx"),
        }
    }
}

impl Default for Selection {
    /// The findings: everything that may need fixing.
    fn default() -> Selection {
        Selection::of(&[Verdict::Broken, Verdict::Doubtful, Verdict::Moved])
    }
}

impl Selection {
    /// Every link with one of these verdicts.
    ///
    /// ```
    /// use rummage_core::findings::selection::{Selection, Status};
    /// use rummage_core::verdict::{Cause, Verdict};
    ///
    /// let mut selection = Selection::of(&[Verdict::Broken]);
    /// selection.statuses = vec![Status::Class(5)];
    /// let takes = |status| {
    ///     selection.takes_verdict(Verdict::Broken, Some(Cause::ServerError), Some(status))
    /// };
    /// assert!(takes(503) && !takes(404));
    /// ```
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
            excepts: Vec::new(),
            pages: Vec::new(),
            portion: None,
            rels: Vec::new(),
            text: Vec::new(),
            search: Vec::new(),
            standings: Vec::new(),
            not_parsed: false,
            found_from: None,
        }
    }

    /// Every link, including sound and skipped ones.
    #[must_use]
    pub fn all() -> Selection {
        Selection::of(&Verdict::ALL)
    }

    /// Whether it filters by more than the verdict.
    #[must_use]
    pub fn is_narrow(&self) -> bool {
        *self != Selection::of(&self.verdicts)
    }

    /// The first of its patterns that looks as if it were of another kind, in which more than `*`
    /// is special.
    #[must_use]
    pub fn foreign_pattern(&self) -> Option<&Pattern> {
        let mut all =
            self.hosts.iter().chain(&self.targets).chain(&self.pages).chain(&self.excepts);
        all.find(|pattern| pattern.looks_like_another_kind())
    }

    /// Whether links with this verdict match.
    #[must_use]
    pub fn takes(&self, verdict: Verdict) -> bool {
        self.verdicts.contains(&verdict)
    }

    /// Whether links with this verdict, cause and status match.
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

    /// Whether links to this URL match, whatever its verdict.
    #[must_use]
    pub fn takes_url(&self, url: &str, scope: Option<Scope>) -> bool {
        (self.scope.is_none() || self.scope == scope)
            && (self.hosts.is_empty() || any(&self.hosts, host_of(url)))
            && (self.targets.is_empty() || any(&self.targets, url))
            && !any(&self.excepts, url)
    }

    /// Whether links to all URLs match, as far as that depends on the URL.
    #[must_use]
    pub fn takes_any_url(&self) -> bool {
        let Selection { scope, hosts, targets, excepts, .. } = self;
        scope.is_none() && hosts.is_empty() && targets.is_empty() && excepts.is_empty()
    }

    /// Whether links on this page match.
    #[must_use]
    pub fn takes_page(&self, url: &str) -> bool {
        (self.pages.is_empty() || any(&self.pages, url))
            && self.portion.as_ref().is_none_or(|portion| portion.takes(url))
    }

    /// Whether it takes the links of some pages alone.
    #[must_use]
    pub fn is_of_pages(&self) -> bool {
        !self.pages.is_empty() || self.portion.is_some()
    }

    /// Whether links in this element, with this `rel` attribute and text, match.
    #[must_use]
    pub fn takes_link(&self, element: &str, rel: Option<&str>, text: Option<&str>) -> bool {
        let is_named = |word: &str| self.rels.iter().any(|own| own.eq_ignore_ascii_case(word));
        let fits_rel = || rel.is_some_and(|rel| rel.split_ascii_whitespace().any(is_named));
        (self.rels.is_empty() || fits_rel())
            && (self.elements.is_empty() || self.elements.iter().any(|own| own == element))
            && (self.text.is_empty() || {
                let text = text.unwrap_or_default().to_lowercase();
                self.text.iter().all(|word| text.contains(word))
            })
    }

    /// Whether waived or other links match: waived ones only if they are selected, or everything
    /// is.
    #[must_use]
    pub fn takes_waived(&self, waived: bool) -> bool {
        match (self.standings.as_slice(), waived) {
            ([], true) => self.takes(Verdict::Sound),
            ([], false) => true,
            (some, true) => some.contains(&Standing::Waived),
            (some, false) => some != [Standing::Waived],
        }
    }

    /// Whether each searched word is in at least one of these texts.
    #[must_use]
    pub fn finds<'a>(&self, texts: impl Iterator<Item = &'a str> + Clone) -> bool {
        let is_in = |word: &String| texts.clone().any(|text| contains(text, word));
        self.search.iter().all(is_in)
    }
}

fn any(patterns: &[Pattern], text: &str) -> bool {
    patterns.iter().any(|pattern| pattern.matches(text))
}

/// Whether a text contains a word, which is in lower case.
fn contains(text: &str, word: &str) -> bool {
    text.contains(word) || text.to_lowercase().contains(word)
}

/// Host of a URL, with the port if it is written; the whole URL if it has no host.
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
    fn all_kinds_of_filters_must_match_with_one_value_each() {
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
    fn links_match_by_element_relation_and_text() {
        let mut selection = Selection::all();
        selection.elements = vec!["img".to_owned()];
        assert!(selection.takes_link("img", None, None) && !selection.takes_link("a", None, None));
        selection.elements.clear();
        selection.rels = vec!["next".to_owned()];
        selection.text = vec!["canal".to_owned(), "map".to_owned()];
        assert!(selection.takes_link("a", Some("prev NEXT"), Some("Map of the Canal")));
        assert!(!selection.takes_link("a", Some("prev"), Some("Map of the Canal")));
        assert!(!selection.takes_link("a", Some("next"), Some("Map")));
        assert!(!selection.takes_link("a", None, None));
    }

    #[test]
    fn a_selection_by_verdicts_alone_is_not_narrow() {
        let foreign = |pattern: &str| {
            let pages = vec![Pattern::new("/news/*"), Pattern::new(pattern)];
            Selection { pages, ..Selection::all() }.foreign_pattern().is_some()
        };
        for pattern in ["^/news", "/news$", "/n.*s", "/new[s]", "/new\\w", "/new?"] {
            assert!(foreign(pattern), "{pattern}");
        }
        assert!(!foreign("/news/*.html") && !foreign("*.a.test"));
        assert!(!Selection::of(&[Verdict::Broken, Verdict::Moved]).is_narrow());
        assert!(!Selection::all().is_narrow());
        let narrow = Selection { hosts: vec![Pattern::new("a.test")], ..Selection::all() };
        assert!(narrow.is_narrow());
        let narrow = Selection { search: vec!["x".to_owned()], ..Selection::all() };
        assert!(narrow.is_narrow());
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
    fn words_match_regardless_of_case() {
        let mut selection = Selection::all();
        selection.text = vec!["opening".to_owned(), "hours".to_owned()];
        let takes = |text| selection.takes_link("a", None, text);
        assert!(takes(Some("Opening Hours 2026")));
        assert!(!takes(Some("Opening")) && !takes(None));
        selection.search = vec!["überfahrt".to_owned(), "b.test".to_owned()];
        assert!(selection.finds(["https://b.test/", "ÜBERFAHRT"].into_iter()));
        assert!(!selection.finds(["https://b.test/"].into_iter()));
    }

    #[test]
    fn one_word_of_rel_is_enough() {
        let mut selection = Selection::all();
        assert!(selection.takes_link("a", None, None));
        selection.rels = vec!["nofollow".to_owned(), "sponsored".to_owned()];
        assert!(selection.takes_link("a", Some("noopener NoFollow"), None));
        assert!(!selection.takes_link("a", Some("noopener"), None));
        assert!(!selection.takes_link("a", None, None));
    }

    #[test]
    fn exceptions_win() {
        let targets = vec![Pattern::new("/old/*")];
        let excepts = vec![Pattern::new("/old/maps/*")];
        let selection = Selection { targets, excepts, ..Selection::all() };
        assert!(selection.takes_url("http://a.test/old/x", None) && selection.is_narrow());
        assert!(!selection.takes_url("http://a.test/old/maps/x", None));
    }

    #[test]
    fn the_host_comes_before_the_path() {
        assert_eq!(host_of("https://a.test:8443/x"), "a.test:8443");
        assert_eq!(host_of("http://a.test?x"), "a.test");
        assert_eq!(host_of("mailto:x@a.test"), "mailto:x@a.test");
    }
}
