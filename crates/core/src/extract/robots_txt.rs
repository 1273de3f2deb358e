//! Rules for robots: robots.txt by RFC 9309, with `Crawl-delay` and `Sitemap`, which are not part
//! of it but widely used.
//!
//! ```
//! use rummage_core::extract::robots_txt::Robots;
//!
//! let robots = Robots::parse("User-agent: *\nDisallow: /shop\nAllow: /shop/opening-times\n");
//! assert!(!robots.allows("/shop/basket"));
//! assert!(robots.allows("/shop/opening-times?day=monday"));
//! ```

use std::time::Duration;

/// The name for rules that apply only to this tool (RFC 9309 §2.2.1).
pub const PRODUCT_TOKEN: &str = "rummage";

/// How many bytes of a file are read (RFC 9309 §2.5: at least 500 KiB).
pub const MAX_SIZE: usize = 500 * 1024;

/// The rules for this tool in one robots.txt.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Robots {
    rules: Vec<Rule>,
    delay: Option<Duration>,
    sitemaps: Vec<SitemapLine>,
}

/// A `Sitemap` line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SitemapLine {
    /// The URL as written.
    pub url: String,
    /// Its line, from 1.
    pub line: u32,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Rule {
    allows: bool,
    /// In the form in which paths are compared.
    pattern: Vec<u8>,
}

/// Whom the following lines apply to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Group {
    Ours,
    Everyones,
    Others,
}

#[derive(Debug, Default)]
struct Rules {
    rules: Vec<Rule>,
    delay: Option<Duration>,
    /// There is a group, even if it is empty.
    any: bool,
}

impl Robots {
    /// Parses robots.txt. Lines that cannot be parsed are skipped (RFC 9309 §2.2).
    #[must_use]
    pub fn parse(text: &str) -> Robots {
        let (mut ours, mut everyones) = (Rules::default(), Rules::default());
        let mut sitemaps = Vec::new();
        let mut groups: Vec<Group> = Vec::new();
        let mut in_rules = false;
        let text = text.trim_start_matches('\u{feff}');
        for (number, line) in lines(text) {
            let line = line.split('#').next().unwrap_or_default();
            let Some((key, value)) = line.split_once(':') else { continue };
            let (key, value) = (key.trim().to_ascii_lowercase(), value.trim());
            match key.as_str() {
                "user-agent" => {
                    if std::mem::take(&mut in_rules) {
                        groups.clear();
                    }
                    groups.push(group(value));
                }
                "allow" | "disallow" | "crawl-delay" => {
                    in_rules = true;
                    for group in &groups {
                        match group {
                            Group::Ours => ours.take(&key, value),
                            Group::Everyones => everyones.take(&key, value),
                            Group::Others => {}
                        }
                    }
                }
                "sitemap" if !value.is_empty() => {
                    sitemaps.push(SitemapLine { url: value.to_owned(), line: number });
                }
                _ => {}
            }
            for group in &groups {
                match group {
                    Group::Ours => ours.any = true,
                    Group::Everyones => everyones.any = true,
                    Group::Others => {}
                }
            }
        }
        let Rules { rules, delay, .. } = if ours.any { ours } else { everyones };
        Robots { rules, delay, sitemaps }
    }

    /// Rules that disallow everything: for a host whose robots.txt cannot be fetched.
    #[must_use]
    pub fn forbidding_all() -> Robots {
        let rule = Rule { allows: false, pattern: b"/".to_vec() };
        Robots { rules: vec![rule], ..Robots::default() }
    }

    /// Whether a robot may fetch this path, which includes the query.
    #[must_use]
    pub fn allows(&self, path: &str) -> bool {
        let path = comparable(path.as_bytes());
        if path == b"/robots.txt" {
            return true;
        }
        // The longest match in bytes wins; of two equally long ones, the one that allows.
        let fitting = self.rules.iter().filter(|rule| fits(&rule.pattern, &path));
        let best = fitting.max_by_key(|rule| (rule.pattern.len(), rule.allows));
        best.is_none_or(|rule| rule.allows)
    }

    /// The crawl delay.
    #[must_use]
    pub fn delay(&self) -> Option<Duration> {
        self.delay
    }

    /// The sitemaps named, in any group.
    #[must_use]
    pub fn sitemaps(&self) -> &[SitemapLine] {
        &self.sitemaps
    }
}

impl Rules {
    fn take(&mut self, key: &str, value: &str) {
        if key == "crawl-delay" {
            let seconds = value.parse::<f64>().ok().filter(|seconds| *seconds >= 0.0);
            let delay = seconds.and_then(|seconds| Duration::try_from_secs_f64(seconds).ok());
            self.delay = self.delay.max(delay);
        } else if !value.is_empty() {
            // A rule without a path is ignored (RFC 9309 §2.2.2).
            let pattern = comparable(value.as_bytes());
            self.rules.push(Rule { allows: key == "allow", pattern });
        }
    }
}

/// Lines end at CR, LF or both, and are numbered from 1.
fn lines(text: &str) -> impl Iterator<Item = (u32, &str)> {
    let ends = |c| c == '\n' || c == '\r';
    let mut number = 1;
    let mut rest = Some(text);
    std::iter::from_fn(move || {
        let text = rest?;
        let this = number;
        number += 1;
        let Some(end) = text.find(ends) else {
            rest = None;
            return Some((this, text));
        };
        let after = &text[end..];
        rest = Some(after.strip_prefix("\r\n").unwrap_or(&after[1..]));
        Some((this, &text[..end]))
    })
}

/// Names are compared without regard to case, up to the first character that no name contains
/// (RFC 9309 §2.2.1).
fn group(value: &str) -> Group {
    if value.starts_with('*') {
        return Group::Everyones;
    }
    let end = value.find(|c: char| !(c.is_ascii_alphabetic() || c == '-' || c == '_'));
    if value[..end.unwrap_or(value.len())].eq_ignore_ascii_case(PRODUCT_TOKEN) {
        Group::Ours
    } else {
        Group::Others
    }
}

/// A path in the form in which it is compared (RFC 9309 §2.2.2): bytes beyond ASCII
/// percent-encoded, and percent-encoded letters, digits, `-`, `.`, `_` and `~` decoded.
fn comparable(path: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(path.len());
    let mut at = 0;
    while let Some(&byte) = path.get(at) {
        let hex = |digit: u8| char::from(digit).to_digit(16);
        let encoded = match path.get(at..at + 3) {
            Some(&[b'%', high, low]) => hex(high).zip(hex(low)),
            _ => None,
        };
        if let Some((high, low)) = encoded {
            let byte = u8::try_from(high * 16 + low).expect("two digits are a byte");
            if byte.is_ascii_alphanumeric() || b"-._~".contains(&byte) {
                out.push(byte);
            } else {
                encode(byte, &mut out);
            }
            at += 3;
            continue;
        }
        if byte.is_ascii() {
            out.push(byte);
        } else {
            encode(byte, &mut out);
        }
        at += 1;
    }
    out
}

fn encode(byte: u8, out: &mut Vec<u8>) {
    out.extend_from_slice(format!("%{byte:02X}").as_bytes());
}

/// Whether a pattern matches the beginning of a path; `*` matches anything, a `$` at the end
/// matches the end of the path.
fn fits(pattern: &[u8], path: &[u8]) -> bool {
    let (pattern, to_the_end) = match pattern.strip_suffix(b"$") {
        Some(pattern) => (pattern, true),
        None => (pattern, false),
    };
    let mut pieces = pattern.split(|&byte| byte == b'*');
    let first = pieces.next().unwrap_or_default();
    let Some(mut rest) = path.strip_prefix(first) else { return false };
    let mut pieces = pieces.peekable();
    if pieces.peek().is_none() {
        return !to_the_end || rest.is_empty();
    }
    while let Some(piece) = pieces.next() {
        if to_the_end && pieces.peek().is_none() {
            return rest.ends_with(piece);
        }
        let Some(at) = memchr::memmem::find(rest, piece) else { return false };
        rest = &rest[at + piece.len()..];
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whether these rules, in a group for everyone, allow a path.
    fn allows(rules: &str, path: &str) -> bool {
        Robots::parse(&format!("User-agent: *\n{rules}")).allows(path)
    }

    #[test]
    fn the_longest_match_wins_and_allow_wins_a_tie() {
        // RFC 9309 §5.2.
        let rules = "Allow: /example/page/\nDisallow: /example/page/disallowed.gif";
        assert!(!allows(rules, "/example/page/disallowed.gif"));
        assert!(allows(rules, "/example/page/other.gif"));
        assert!(allows("Disallow: /a\nAllow: /a", "/a"));
        assert!(allows("Allow: /a\nDisallow: /a", "/a"));
    }

    #[test]
    fn stars_and_dollars_are_special() {
        for (rule, path, fits) in [
            ("/", "/anything", true),
            ("/a", "/ab/c", true),
            ("/a/", "/a", false),
            ("/a$", "/a", true),
            ("/a$", "/ab", false),
            ("/*.gif$", "/x/y.gif", true),
            ("/*.gif$", "/x.gif?y", false),
            ("/*.gif", "/x.gif?y", true),
            ("*/print", "/x/print/y", true),
            ("/a*b*c$", "/a1b2c3c", true),
            ("/a*c$", "/acd", false),
            ("/ab*bc$", "/abc", false),
            ("/x*$", "/xyz", true),
            ("/$x", "/$x", true),
            ("/search?q=", "/search?q=lock", true),
        ] {
            assert_eq!(!allows(&format!("Disallow: {rule}"), path), fits, "{rule} {path}");
        }
    }

    #[test]
    fn paths_are_compared_by_their_bytes() {
        // RFC 9309 §2.2.2.
        for (rule, path) in [
            ("/foo/bar/ツ", "/foo/bar/%E3%83%84"),
            ("/foo/bar/%E3%83%84", "/foo/bar/%e3%83%84"),
            ("/foo/bar/%62%61%7A", "/foo/bar/baz"),
            ("/~anna", "/%7Eanna"),
        ] {
            assert!(!allows(&format!("Disallow: {rule}"), path), "{rule} {path}");
        }
        assert!(allows("Disallow: /a%2Fb", "/a/b"));
        assert!(allows("Disallow: /%2", "/"));
    }

    #[test]
    fn a_group_for_this_tool_wins_over_the_one_for_everyone() {
        for (text, path, allowed) in [
            ("User-agent: *\nDisallow: /\nUser-agent: Rummage\nDisallow: /x", "/y", true),
            ("User-agent: rummage/1.0\nDisallow: /x\nUser-agent: *\nDisallow: /", "/x", false),
            ("User-agent: rummages\nDisallow: /", "/", true),
            ("User-agent: a\nUser-agent: rummage\nDisallow: /x", "/x", false),
            ("User-agent: rummage\nDisallow: /x\nUser-agent: a\nDisallow: /y", "/y", true),
            ("User-agent: rummage\nDisallow: /x\n\nUser-agent: RUMMAGE\nDisallow: /y", "/y", false),
            ("User-agent: rummage\nUser-agent: *\n\nDisallow: /x", "/x", false),
            ("User-agent: *\nDisallow: /\nUser-agent: rummage\n", "/x", true),
            ("User-agent: a\nCrawl-delay: 1\nUser-agent: *\nDisallow: /x", "/x", false),
            ("User-agent: a\nSitemap: /s\nUser-agent: *\nDisallow: /x", "/x", false),
            ("Disallow: /", "/x", true),
            ("\u{feff}user-agent : *\r\nDISALLOW:/x # all of it\rAllow: /x/y", "/x", false),
            ("User-agent: *\nDisallow:", "/x", true),
            ("User-agent: *\nDisallow: /", "/robots.txt", true),
            ("", "/x", true),
        ] {
            assert_eq!(Robots::parse(text).allows(path), allowed, "{text:?} {path}");
        }
        assert!(!Robots::forbidding_all().allows("/x"));
    }

    #[test]
    fn delays_and_sitemaps_are_parsed() {
        let text = "Sitemap: http://a.test/1.xml\nUser-agent: *\nCrawl-delay: 1.5\nCrawl-delay: x\n\
                    Sitemap:\nSITEMAP: /2.xml\nUser-agent: b\nCrawl-delay: 9";
        let robots = Robots::parse(text);
        assert_eq!(robots.delay(), Some(Duration::from_millis(1500)));
        let sitemaps: Vec<_> = robots.sitemaps().iter().map(|s| (s.url.as_str(), s.line)).collect();
        assert_eq!(sitemaps, [("http://a.test/1.xml", 1), ("/2.xml", 6)]);
    }
}
