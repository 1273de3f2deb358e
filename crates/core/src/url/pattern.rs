//! Patterns as users write them: only `*` is special, and it crosses `/`.

use std::collections::HashSet;

use crate::url::reference::path_of;

/// A pattern for URLs.
///
/// A pattern with `://` must match the whole URL; one with a leading `/`, the path and query from
/// their start; any other may match any part.
///
/// ```
/// use rummage_core::url::pattern::Pattern;
///
/// let calendar = Pattern::new("/calendar/*");
/// assert!(calendar.matches("http://a.test/calendar/2026/11"));
/// assert!(!calendar.matches("http://a.test/our/calendar/"));
///
/// assert!(Pattern::new("session=").matches("http://a.test/x?session=7"));
/// assert!(Pattern::new("http://*.test/").matches("http://b.test/"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    written: String,
    part: Part,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part {
    Whole,
    Path,
    Any,
}

impl Pattern {
    /// Parses a pattern. Any text is valid.
    #[must_use]
    pub fn new(written: &str) -> Pattern {
        let part = if written.contains("://") {
            Part::Whole
        } else if written.starts_with('/') {
            Part::Path
        } else {
            Part::Any
        };
        Pattern { written: written.to_owned(), part }
    }

    /// The pattern as it was written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.written
    }

    /// Whether it contains what is special in other kinds of patterns: `?`, `^`, `$`, `.*`, `[` or
    /// a backslash. Here, they stand for themselves.
    #[must_use]
    pub fn looks_like_another_kind(&self) -> bool {
        self.written.contains(['?', '^', '$', '[', '\\']) || self.written.contains(".*")
    }

    /// Whether the pattern matches this URL.
    #[must_use]
    pub fn matches(&self, url: &str) -> bool {
        match self.part {
            Part::Whole => fits(&self.written, url),
            Part::Path => fits(&self.written, path_of(url)),
            Part::Any => fits(&format!("*{}*", self.written), url),
        }
    }
}

/// Patterns of which one must match. Those that are whole URLs are looked up, however many there
/// are.
///
/// ```
/// use rummage_core::url::pattern::{Pattern, Patterns};
///
/// let patterns: Patterns = ["http://a.test/x", "/old/*"].map(Pattern::new).into_iter().collect();
/// assert!(patterns.match_any("http://a.test/x") && patterns.match_any("http://b.test/old/y"));
/// assert!(!patterns.match_any("http://a.test/x#y"));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Patterns {
    all: Vec<Pattern>,
    /// Those without a `*` that match a whole URL.
    urls: HashSet<String>,
    /// The positions of all others.
    others: Vec<usize>,
}

impl FromIterator<Pattern> for Patterns {
    fn from_iter<I: IntoIterator<Item = Pattern>>(patterns: I) -> Patterns {
        let mut set = Patterns::default();
        for pattern in patterns {
            match pattern.part {
                Part::Whole if !pattern.written.contains('*') => {
                    set.urls.insert(pattern.written.clone());
                }
                _ => set.others.push(set.all.len()),
            }
            set.all.push(pattern);
        }
        set
    }
}

impl Patterns {
    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    /// All of them, in order.
    pub fn iter(&self) -> impl Iterator<Item = &Pattern> {
        self.all.iter()
    }

    /// Whether one of them matches this URL.
    #[must_use]
    pub fn match_any(&self, url: &str) -> bool {
        self.urls.contains(url) || self.others.iter().any(|at| self.all[*at].matches(url))
    }
}

/// Whether a text matches a pattern in which only `*` is special.
///
/// One pass with a single point to go back to: linear in practice, never exponential.
#[must_use]
pub fn fits(pattern: &str, text: &str) -> bool {
    let (pattern, text) = (pattern.as_bytes(), text.as_bytes());
    let (mut p, mut t) = (0, 0);
    let mut star: Option<(usize, usize)> = None;
    while t < text.len() {
        if p < pattern.len() && pattern[p] == b'*' {
            star = Some((p, t));
            p += 1;
        } else if p < pattern.len() && pattern[p] == text[t] {
            p += 1;
            t += 1;
        } else if let Some((star_at, eaten)) = star {
            p = star_at + 1;
            t = eaten + 1;
            star = Some((star_at, t));
        } else {
            return false;
        }
    }
    pattern[p..].iter().all(|&b| b == b'*')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_star_crosses_slashes_and_may_be_empty() {
        assert!(fits("/a*c", "/a/b/c"));
        assert!(fits("/a*c", "/ac"));
        assert!(!fits("/a*c", "/acd"));
        assert!(fits("*.test", "www.a.test"));
    }

    #[test]
    fn a_leading_slash_anchors_the_pattern_to_the_path() {
        let pattern = Pattern::new("/print");
        assert!(pattern.matches("http://a.test/print"));
        assert!(!pattern.matches("http://a.test/print/2"));
        assert!(Pattern::new("/").matches("http://a.test"));
    }

    #[test]
    fn many_stars_stay_quick() {
        assert!(!fits(&"*a".repeat(40), &"a".repeat(39)));
    }
}
