//! Endless URL patterns: calendars, sessions, paths that repeat themselves.
//!
//! Two kinds are stopped. Paths with a segment more than three times; and families: URLs that
//! differ only in their query, in one number or in a date. A family is examined when it has more
//! than 500 URLs, by its last 200 pages, of which nine in ten must have the same text as another
//! member. It is stopped
//!
//! - if its URLs differ in the query, have exactly the same text, and lead to nothing new except
//!   families like this one: sessions, sort orders of a list;
//! - if they have the same text except for numbers, lead to nothing new outside the family, and
//!   each leads to about one new page, so that few wait and yet there is no end in sight:
//!   calendars, pages after the last page.
//!
//! So a site whose real pages differ only in a number is crawled completely: they have different
//! text, lead elsewhere, or many of them are known at the same time.

use std::collections::{HashMap, HashSet, VecDeque};

use xxhash_rust::xxh3::xxh3_64;

use crate::extract::reading::Sketch;
use crate::url::hashed::{HashedMap, Key, Recent};
use crate::url::reference::path_of;

/// How often a segment may occur in a path.
const REPEATS: usize = 3;
/// A family of this size is examined.
const LARGE: u32 = 500;
/// From this size on, the texts of its pages are compared.
const GROWING: u32 = 200;
/// How many of its last pages decide.
const WINDOW: usize = 200;
/// How many of these must have known text.
const ALIKE: usize = WINDOW * 9 / 10;
/// So many different texts are remembered of each family: a trap repeats itself sooner.
const TEXTS_KEPT: usize = 50_000;
/// At most this many pages of an endless URL pattern wait, or a tenth of those parsed.
const FEW_WAIT: u64 = 50;

/// An endless URL pattern that was stopped.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stop {
    /// A sample URL.
    pub sample: String,
    /// The pattern for --exclude and --include.
    pub rule: String,
    /// How many of its pages were parsed.
    pub read: u64,
}

/// Watches a site for endless URL patterns.
#[derive(Debug, Default)]
pub(in crate::crawl) struct Traps {
    /// How many URLs of each family were discovered.
    counts: HashedMap<u32>,
    /// Families that have grown large.
    grown: HashMap<u64, Family>,
    stopped: HashSet<u64>,
    /// Repeating segments that were reported.
    repeating: HashSet<String>,
}

#[derive(Debug)]
struct Family {
    read: u64,
    /// The last pages, oldest first.
    window: VecDeque<PageProfile>,
    /// Their texts; of a large family, the recent ones.
    texts: Recent,
    outlines: Recent,
}

impl Default for Family {
    fn default() -> Family {
        Family {
            read: 0,
            window: VecDeque::new(),
            texts: Recent::holding(TEXTS_KEPT),
            outlines: Recent::holding(TEXTS_KEPT),
        }
    }
}

/// A page of a family.
#[derive(Debug, Clone, Copy)]
struct PageProfile {
    /// It led to something new outside the family.
    out: bool,
    /// It led to something new outside all families that have grown large.
    out_of_all: bool,
    /// Its text was known.
    same: bool,
    /// Its text was known except for numbers.
    alike: bool,
    /// How many URLs of the family were known then.
    discovered: u64,
}

/// The part of a URL in which the members of a family differ.
struct UrlPart {
    start: usize,
    end: usize,
    is_query: bool,
}

impl UrlPart {
    fn family(&self, path: &str) -> u64 {
        let is_query = if self.is_query { "?" } else { "" };
        let rest = format!("{}\0{}{is_query}", &path[..self.start], &path[self.end..]);
        xxh3_64(rest.as_bytes())
    }

    fn rule(&self, path: &str) -> String {
        format!("{}*{}", &path[..self.start], &path[self.end..])
    }
}

impl Traps {
    /// Whether a URL belongs to a stopped pattern.
    pub(in crate::crawl) fn holds(&self, url: &str) -> bool {
        repeating_segment(path_of(url)).is_some()
            || !self.stopped.is_empty() && families(url).any(|key| self.stopped.contains(&key))
    }

    /// For a URL that repeats itself: the pattern to report, the first time.
    pub(in crate::crawl) fn handle_held(&mut self, url: &str) -> Option<Stop> {
        let segment = repeating_segment(path_of(url))?;
        if !self.repeating.insert(segment.to_owned()) {
            return None;
        }
        let rule = format!("*/{segment}/*/{segment}/*");
        Some(Stop { sample: url.to_owned(), rule, read: 0 })
    }

    /// A URL is about to be requested as a page.
    pub(in crate::crawl) fn handle_discovered(&mut self, url: &str) {
        for key in families(url) {
            let count = self.counts.entry(key).or_default();
            *count += 1;
            if *count == GROWING {
                self.grown.insert(key, Family::default());
            }
        }
    }

    /// Whether the text of a page matters, because its family is growing.
    pub(in crate::crawl) fn needs_sketch(&self, url: &str) -> bool {
        !self.grown.is_empty() && families(url).any(|key| self.grown.contains_key(&key))
    }

    /// A page was parsed, and is the first to lead to these URLs. Returns the pattern that is
    /// stopped because of that.
    pub(in crate::crawl) fn handle_read<'a>(
        &mut self,
        url: &str,
        sketch: Option<Sketch>,
        new: impl Iterator<Item = &'a str>,
    ) -> Option<Stop> {
        if !self.needs_sketch(url) {
            return None;
        }
        // Pages without text all have the same text.
        let sketch = sketch.unwrap_or_default();
        // URLs that were stopped lead nowhere.
        let leads_on = |other: &&str| !families(other).any(|key| self.stopped.contains(&key));
        let new: Vec<&str> = new.filter(leads_on).collect();
        let out_of_all = new.iter().any(|other| !self.needs_sketch(other));
        let path = path_of(url);
        let mut stop = None;
        for part in parts(path) {
            let key = keyed(url, part.family(path));
            let Some(family) = self.grown.get_mut(&key) else { continue };
            let is_member = |other: &str| families(other).any(|of| of == key);
            let discovered = self.counts.get(&key).copied().unwrap_or_default();
            let profile = PageProfile {
                out: new.iter().any(|other| !is_member(other)),
                out_of_all,
                same: !family.texts.insert(Key::of_hash(sketch.text)),
                alike: !family.outlines.insert(Key::of_hash(sketch.outline)),
                discovered: discovered.into(),
            };
            family.take(profile);
            let is_trap = discovered > LARGE && family.is_trap(discovered.into(), part.is_query);
            if is_trap && self.stopped.insert(key) {
                let (sample, rule) = (url.to_owned(), part.rule(path));
                // The first is the widest.
                stop.get_or_insert(Stop { sample, rule, read: family.read });
            }
        }
        stop
    }
}

impl Family {
    fn take(&mut self, profile: PageProfile) {
        self.read += 1;
        self.window.push_back(profile);
        if self.window.len() > WINDOW {
            self.window.pop_front();
        }
    }

    fn is_trap(&self, discovered: u64, differs_in_query: bool) -> bool {
        let Some(oldest) = self.window.front().filter(|_| self.window.len() == WINDOW) else {
            return false;
        };
        let most = |is: fn(&PageProfile) -> bool| {
            self.window.iter().filter(|profile| is(profile)).count() >= ALIKE
        };
        let none = |is: fn(&PageProfile) -> bool| !self.window.iter().any(is);
        // Pages parsed while the family grew were discovered before it was counted.
        let waiting = discovered.saturating_sub(self.read + u64::from(GROWING));
        let (new, few) = (discovered - oldest.discovered, FEW_WAIT.max(self.read / 10));
        let goes_round = differs_in_query && new > 0 && most(|s| s.same) && none(|s| s.out_of_all);
        let goes_on = waiting <= few && new >= ALIKE as u64 && most(|s| s.alike) && none(|s| s.out);
        goes_round || goes_on
    }
}

/// The families that a URL belongs to.
fn families(url: &str) -> impl Iterator<Item = u64> {
    let path = path_of(url);
    parts(path).into_iter().map(move |part| keyed(url, part.family(path)))
}

/// Families of different hosts are different.
fn keyed(url: &str, family: u64) -> u64 {
    let host = &url[..url.len() - path_of(url).len()];
    family ^ xxh3_64(host.as_bytes())
}

/// A segment that occurs too often in the path.
fn repeating_segment(path: &str) -> Option<&str> {
    let bare = path.split('?').next().unwrap_or_default();
    if bare.bytes().filter(|&byte| byte == b'/').count() <= REPEATS {
        return None;
    }
    let mut counts: Vec<(&str, usize)> = Vec::new();
    for segment in bare.split('/').filter(|segment| !segment.is_empty()) {
        match counts.iter_mut().find(|(known, _)| *known == segment) {
            Some((_, count)) => *count += 1,
            None => counts.push((segment, 1)),
        }
    }
    counts.into_iter().find(|(_, count)| *count > REPEATS).map(|(segment, _)| segment)
}

/// The query; and each date and number in the path. A path with many numbers has none that counts
/// up.
fn parts(path: &str) -> Vec<UrlPart> {
    const MANY: usize = 6;
    let mut parts = Vec::new();
    let query = path.find('?');
    if let Some(query) = query {
        parts.push(UrlPart { start: query + 1, end: path.len(), is_query: true });
    }
    let bytes = &path.as_bytes()[..query.unwrap_or(path.len())];
    let mut at = 0;
    let mut numbers: Vec<UrlPart> = Vec::new();
    while at < bytes.len() {
        if !bytes[at].is_ascii_digit() || is_encoded(bytes, at) {
            at += 1;
            continue;
        }
        let end = at + bytes[at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        numbers.push(UrlPart { start: at, end, is_query: false });
        at = end;
    }
    if numbers.len() < MANY {
        parts.extend(dates(&numbers, bytes));
        parts.extend(numbers);
    }
    parts
}

/// Whether a digit belongs to a percent-encoded byte.
fn is_encoded(bytes: &[u8], at: usize) -> bool {
    (at >= 1 && bytes[at - 1] == b'%') || (at >= 2 && bytes[at - 2] == b'%')
}

/// Years with month and day after or before them: 2026-11, 2026/11/23, 23.11.2026.
fn dates(numbers: &[UrlPart], bytes: &[u8]) -> Vec<UrlPart> {
    let is_year = |part: &UrlPart| {
        part.end - part.start == 4
            && (bytes[part.start..].starts_with(b"19") || bytes[part.start] == b'2')
    };
    let is_short = |at: usize| numbers[at].end - numbers[at].start <= 2;
    let touch = |one: usize| {
        let end = numbers[one].end;
        numbers[one + 1].start == end + 1 && b"-/._".contains(&bytes[end])
    };
    let mut dates = Vec::new();
    for at in (0..numbers.len()).filter(|&at| is_year(&numbers[at])) {
        let (mut first, mut last) = (at, at);
        while last + 1 < numbers.len() && last < at + 2 && is_short(last + 1) && touch(last) {
            last += 1;
        }
        if last == at {
            while first > 0 && first + 2 > at && is_short(first - 1) && touch(first - 1) {
                first -= 1;
            }
        }
        if first < last {
            let (start, end) = (numbers[first].start, numbers[last].end);
            dates.push(UrlPart { start, end, is_query: false });
        }
    }
    dates
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rules(path: &str) -> Vec<String> {
        parts(path).iter().map(|part| part.rule(path)).collect()
    }

    #[test]
    fn members_of_a_family_differ_in_query_number_or_date() {
        for (path, expected) in [
            ("/", &[][..]),
            ("/x?a=b", &["/x?*"]),
            ("/p7/8.html", &["/p*/8.html", "/p7/*.html"]),
            ("/2026/11/", &["/*/", "/*/11/", "/2026/*/"]),
            ("/c?d=2026-11-23", &["/c?*"]),
            (
                "/cal2/2026/11/5/",
                &[
                    "/cal2/*/",
                    "/cal*/2026/11/5/",
                    "/cal2/*/11/5/",
                    "/cal2/2026/*/5/",
                    "/cal2/2026/11/*/",
                ],
            ),
            ("/on-23.11.2026", &["/on-*", "/on-*.11.2026", "/on-23.*.2026", "/on-23.11.*"]),
            ("/3/2026", &["/*", "/*/2026", "/3/*"]),
            ("/2026x11/", &["/*x11/", "/2026x*/"]),
            ("/2026--11/", &["/*--11/", "/2026--*/"]),
            ("/1f2e3d4c5b6a7", &[]),
            ("/a%20b1", &["/a%20b*"]),
            ("/7/8", &["/*/8", "/7/*"]),
        ] {
            assert_eq!(rules(path), expected, "{path}");
        }
    }

    #[test]
    fn families_of_different_hosts_are_different() {
        let of = |url: &str| families(url).collect::<Vec<u64>>();
        assert_eq!(of("http://a.test/p7"), of("http://a.test/p8"));
        assert_ne!(of("http://a.test/p7"), of("http://a.test/q7"));
        // Bits that are only ever set would make many of them equal in the end.
        let bits = |pick: fn(u64, u64) -> u64, start: u64| {
            (0..64).map(|host| of(&format!("http://h{host}.test/p7"))[0]).fold(start, pick)
        };
        assert_eq!(bits(|one, other| one & other, u64::MAX), 0);
        assert_eq!(bits(|one, other| one | other, 0), u64::MAX);
    }

    #[test]
    fn a_segment_may_occur_three_times() {
        let traps = Traps::default();
        assert!(!traps.holds("http://a.test/a/b/a/b/a/"));
        assert!(traps.holds("http://a.test/a/b/a/b/a/b/a"));
        assert!(!traps.holds("http://a.test/?x=/a/a/a/a/a"));
        let mut traps = traps;
        let stop = traps.handle_held("http://a.test/x/x/x/x/").unwrap();
        assert_eq!(stop.rule, "*/x/*/x/*");
        assert_eq!(traps.handle_held("http://a.test/y/x/x/x/x/"), None);
        assert_eq!(traps.handle_held("http://a.test/x/"), None);
    }

    /// Parses `/c?m=1`, `/c?m=2` and so on, with these texts, until something is stopped. Each
    /// page is discovered when the page that leads to it is parsed.
    fn read_on(
        path: &str,
        most: u64,
        sketch: impl Fn(u64) -> Sketch,
        new: impl Fn(u64) -> Vec<String>,
    ) -> Option<(u64, Stop)> {
        let mut traps = Traps::default();
        let mut discovered = HashSet::new();
        let url = |number| format!("http://a.test{path}{number}");
        traps.handle_discovered(&url(1));
        for number in 1..=most {
            let new: Vec<String> =
                new(number).into_iter().filter(|new| discovered.insert(new.clone())).collect();
            new.iter().for_each(|new| traps.handle_discovered(new));
            let page = url(number);
            let stop =
                traps.handle_read(&page, Some(sketch(number)), new.iter().map(String::as_str));
            if let Some(stop) = stop {
                assert!(traps.holds(&url(most + 1)) && traps.needs_sketch(&page));
                assert!(!traps.holds("http://a.test/d?m=1") && !traps.holds("http://b.test/c?m=1"));
                return Some((number, stop));
            }
        }
        None
    }

    fn says(text: u64, outline: u64) -> Sketch {
        Sketch { text, outline }
    }

    fn members(path: &str, numbers: impl Iterator<Item = u64>) -> Vec<String> {
        numbers.map(|number| format!("http://a.test{path}{number}")).collect()
    }

    #[test]
    fn a_calendar_is_stopped() {
        for path in ["/c?m=", "/c/"] {
            let next = |n| members(path, n + 1..=n + 1);
            let (read, stop) = read_on(path, 5000, |n| says(n, n % 12), next).unwrap();
            assert_eq!(read, 500, "{path}");
            assert!(path.starts_with(stop.rule.trim_end_matches('*')), "{}", stop.rule);
            assert!(stop.sample.contains(path));
        }
        let months_with_days =
            |n| if n % 31 == 1 { members("/c/", n + 1..=n + 31) } else { vec![] };
        assert!(read_on("/c/", 5000, |n| says(n, n % 31), months_with_days).is_some());
    }

    #[test]
    fn sessions_are_stopped_even_if_many_wait() {
        let new = |n| members("/c?m=", 5 * n..5 * n + 5);
        assert!(read_on("/c?m=", 5000, |_| says(7, 7), new).is_some());
        let in_path = |n| members("/c/", 5 * n..5 * n + 5);
        assert_eq!(read_on("/c/", 5000, |_| says(7, 7), in_path), None, "pages by number are real");
    }

    #[test]
    fn real_pages_are_not_stopped() {
        let path = "/c?m=";
        let next = |n| members(path, n + 1..=n + 1);
        assert_eq!(read_on(path, 3000, |n| says(n, n), next), None, "their texts differ");
        let all = |n| if n == 1 { members(path, 2..3000) } else { Vec::new() };
        assert_eq!(read_on(path, 3000, |_| says(7, 7), all), None, "all were known at the start");
        let leads_out = |n: u64| {
            let mut new = next(n);
            new.extend(n.is_multiple_of(150).then(|| format!("http://a.test/item-{n}")));
            new
        };
        assert_eq!(read_on(path, 3000, |_| says(7, 7), leads_out), None, "they lead elsewhere");
        let widely = |n| members(path, 3 * n..3 * n + 3);
        assert_eq!(read_on(path, 3000, |n| says(n, 7), widely), None, "many are known");
        assert_eq!(read_on(path, 499, |_| says(7, 7), next), None, "there are not that many");
    }
}
