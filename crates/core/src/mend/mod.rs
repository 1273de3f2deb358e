//! How broken links are fixed: which URL a link most likely meant, rules that fix many links at
//! once, and edits of sources.
//!
//! Nothing here requests anything. The caller builds [`known::KnownUrls`] from the URLs that
//! work, gets [`candidates`](makers::candidates) for each [`Fault`], requests them, and has
//! [`choose`](choose::choose) rank those that responded well. [`rules`] finds prefix rewrites,
//! [`anchors`] other ids for missing anchors. A [`plan::Plan`] holds the result;
//! [`rewrite`] applies it to a source, and [`redirects`] turns it into redirects.
//!
//! ```
//! use rummage_core::mend::known::{KnownUrl, KnownUrls};
//! use rummage_core::mend::makers::candidates;
//! use rummage_core::mend::{Fault, Reason};
//!
//! let known = KnownUrls::new(vec![KnownUrl::of("https://a.test/paths/towpath.html")]);
//! let found = candidates(&Fault::of("https://a.test/paths/towppath.html"), &known);
//! assert_eq!(found[0].to, "https://a.test/paths/towpath.html");
//! assert_eq!(found[0].reason, Reason::Typing { edits: 1 });
//! ```

pub mod anchors;
pub mod choose;
mod folded;
pub mod known;
pub mod makers;
pub mod plan;
pub mod redirects;
pub mod rewrite;
pub mod rules;
mod similar;

use crate::verdict::Cause;

/// A target that needs fixing, with what is known of it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Fault {
    /// The target: an absolute URL with its fragment, or a malformed URL as written.
    pub target: String,
    /// Why it needs fixing.
    pub cause: Option<Cause>,
    /// It belongs to the site.
    pub is_internal: bool,
    /// Every link to it is an image.
    pub is_image: bool,
    /// The texts of the links to it, in the order of the pages.
    pub texts: Vec<String>,
    /// Where its leading permanent redirects end.
    pub moved_to: Option<String>,
}

impl Fault {
    /// A missing target of which nothing else is known.
    #[must_use]
    pub fn of(target: &str) -> Fault {
        Fault {
            target: target.to_owned(),
            cause: Some(Cause::NotFound),
            is_internal: true,
            ..Fault::default()
        }
    }

    /// The target without its fragment, and the fragment.
    #[must_use]
    pub fn split(&self) -> (&str, Option<&str>) {
        match self.target.split_once('#') {
            Some((url, fragment)) => (url, Some(fragment)),
            None => (&self.target, None),
        }
    }
}

/// Why a URL is a candidate: what would change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Reason {
    /// Its permanent redirects end there.
    Redirect,
    /// Blanks, quotes or punctuation around it were pasted with it.
    Pasted,
    /// It has no scheme.
    SchemeMissing,
    /// The scheme is misspelled.
    SchemeTyping,
    /// Scheme or host are doubled.
    Doubled,
    /// Percent-encoding was applied twice.
    EncodedTwice,
    /// It has backslashes.
    Backslash,
    /// Only the scheme differs: http or https.
    Scheme,
    /// Only `www.` differs.
    Www,
    /// Only the trailing slash differs.
    Slash,
    /// Only the file name of an index page differs.
    Index,
    /// Only the file name extension differs.
    Extension,
    /// Only the letter case differs.
    Case,
    /// Only hyphens, underscores, blanks or slashes differ.
    Separators,
    /// A few characters of the path differ.
    Typing {
        /// Insertions, deletions, substitutions and swaps.
        edits: u8,
    },
    /// A few characters of the host name differ.
    HostTyping {
        /// Insertions, deletions, substitutions and swaps.
        edits: u8,
    },
    /// The same file name in another folder or on another host.
    Moved,
    /// A page whose path, title or link texts have the same words.
    Renamed,
    /// Another anchor on the same page.
    Anchor,
}

impl Reason {
    /// The reason in words, as a sentence without its full stop.
    #[must_use]
    pub fn words(self) -> String {
        let text = match self {
            Reason::Redirect => "its permanent redirects end here",
            Reason::Pasted => "characters around the URL were pasted with it",
            Reason::SchemeMissing => "the scheme is missing",
            Reason::SchemeTyping => "the scheme is misspelled",
            Reason::Doubled => "scheme or host are doubled",
            Reason::EncodedTwice => "percent-encoding was applied twice",
            Reason::Backslash => "backslashes instead of slashes",
            Reason::Scheme => "only the scheme differs",
            Reason::Www => "only www. differs",
            Reason::Slash => "only the trailing slash differs",
            Reason::Index => "only the file name of the index page differs",
            Reason::Extension => "only the file name extension differs",
            Reason::Case => "only the letter case differs",
            Reason::Separators => "only separators such as hyphens or slashes differ",
            Reason::Typing { edits: 1 } => "one character of the path differs",
            Reason::Typing { edits } => return format!("{edits} characters of the path differ"),
            Reason::HostTyping { edits: 1 } => "one character of the host name differs",
            Reason::HostTyping { edits } => {
                return format!("{edits} characters of the host name differ");
            }
            Reason::Moved => "the same file name in another place",
            Reason::Renamed => "the page with the most similar words",
            Reason::Anchor => "the most similar anchor on the page",
        };
        text.to_owned()
    }
}

/// A URL that a link may have meant. It has not been requested yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Candidate {
    /// The URL, with the fragment of the fault if that has one.
    pub to: String,
    /// What would change.
    pub reason: Reason,
    /// How plausible it is, from 0 to 100, before anything was requested.
    pub score: u8,
    /// The last run found that it works.
    pub is_known: bool,
}

/// How sure a proposal is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Confidence {
    /// Look at it before you use it.
    Low,
    /// Probably right.
    Medium,
    /// Right, as far as can be told.
    High,
}

impl Confidence {
    /// All of them.
    pub const ALL: [Confidence; 3] = [Confidence::High, Confidence::Medium, Confidence::Low];

    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Confidence::High => "high",
            Confidence::Medium => "medium",
            Confidence::Low => "low",
        }
    }

    /// The confidence with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Confidence> {
        Confidence::ALL.into_iter().find(|known| known.as_str() == name)
    }

    /// The confidence of a score from 0 to 100.
    #[must_use]
    pub fn of_score(score: u8) -> Confidence {
        match score {
            80.. => Confidence::High,
            60.. => Confidence::Medium,
            _ => Confidence::Low,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_score_is_a_confidence() {
        for (score, confidence) in
            [(100, "high"), (80, "high"), (79, "medium"), (60, "medium"), (59, "low"), (0, "low")]
        {
            assert_eq!(Confidence::of_score(score).as_str(), confidence, "{score}");
            assert_eq!(Confidence::named(confidence), Some(Confidence::of_score(score)));
        }
    }

    #[test]
    fn a_fault_without_more_is_a_missing_page_of_the_site() {
        let fault = Fault::of("https://a.test/x#y");
        assert_eq!((fault.cause, fault.is_internal), (Some(Cause::NotFound), true));
        assert_eq!(fault.split(), ("https://a.test/x", Some("y")));
        assert_eq!(Fault::of("x").split(), ("x", None));
    }
}
