//! Addresses without end: calendars, sessions, paths that repeat themselves.
//!
//! Two kinds are stopped. A path in which a segment stands more than three times.
//! And a family: addresses that differ only in their query, in one number or in a
//! date. A family is looked at when more than 500 of it were heard of, by its last
//! 200 pages, of which nine in ten must say what another member said. It is stopped
//!
//! - where they differ in the query, say the very same, and lead to nothing new but
//!   to families such as this one: sessions, ways to sort a list;
//! - where they say the same but for numbers, lead to nothing new outside the
//!   family, and each leads to about one that is new, so that few wait and yet no
//!   end comes nearer: calendars, pages after the last page.
//!
//! So a site whose real pages differ only in a number is crawled whole: they say
//! different things, or lead elsewhere, or many of them are known at the same time.

use std::collections::{HashMap, HashSet, VecDeque};

use xxhash_rust::xxh3::xxh3_64;

use crate::extract::reading::Sketch;
use crate::url::hashed::HashedMap;
use crate::url::reference::path_of;

/// A segment may stand so often in a path.
const REPEATS: usize = 3;
/// A family of so many is looked at closely.
const LARGE: u32 = 500;
/// From here on, the texts of its pages are compared.
const GROWING: u32 = 200;
/// So many pages of it, the last ones, decide.
const WINDOW: usize = 200;
/// Of these, so many say nothing new.
const ALIKE: usize = WINDOW * 9 / 10;
/// In a family that leads on and on, so many wait at most, or a tenth of those read.
const FEW_WAIT: u64 = 50;

/// Why an address is left out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stop {
    /// An address that shows what was stopped.
    pub sample: String,
    /// The pattern that leaves the like of it out, or takes it back.
    pub rule: String,
    /// Pages of it that were read.
    pub read: u64,
}

/// Watches a site for addresses without end.
#[derive(Debug, Default)]
pub(in crate::crawl) struct Traps {
    /// How many addresses of each family were heard of.
    counts: HashedMap<u32>,
    /// Families that have grown large.
    grown: HashMap<u64, Family>,
    stopped: HashSet<u64>,
    /// Segments that repeat, which were told of.
    repeating: HashSet<String>,
}

#[derive(Debug, Default)]
struct Family {
    read: u64,
    /// Of the last pages, the oldest first.
    window: VecDeque<PageProfile>,
    texts: HashSet<u64>,
    outlines: HashSet<u64>,
}

/// What a page of a family was like.
#[derive(Debug, Clone, Copy)]
struct PageProfile {
    /// It led to something new outside the family.
    out: bool,
    /// It led to something new outside all families that have grown.
    out_of_all: bool,
    /// Its text was known.
    same: bool,
    /// Its text was known but for numbers.
    alike: bool,
    /// How many of the family had been heard of by then.
    discovered: u64,
}

/// A way to look at an address: the part of it that members of a family differ in.
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
    /// Whether an address is part of what was stopped.
    pub(in crate::crawl) fn holds(&self, url: &str) -> bool {
        repeating_segment(path_of(url)).is_some()
            || !self.stopped.is_empty() && families(url).any(|key| self.stopped.contains(&key))
    }

    /// For an address that repeats itself: what to tell, the first time.
    pub(in crate::crawl) fn handle_held(&mut self, url: &str) -> Option<Stop> {
        let segment = repeating_segment(path_of(url))?;
        if !self.repeating.insert(segment.to_owned()) {
            return None;
        }
        let rule = format!("*/{segment}/*/{segment}/*");
        Some(Stop { sample: url.to_owned(), rule, read: 0 })
    }

    /// An address is going to be asked as a page.
    pub(in crate::crawl) fn handle_discovered(&mut self, url: &str) {
        for key in families(url) {
            let count = self.counts.entry(u128::from(key)).or_default();
            *count += 1;
            if *count == GROWING {
                self.grown.insert(key, Family::default());
            }
        }
    }

    /// Whether the text of a page matters, because it belongs to a family that grows.
    pub(in crate::crawl) fn needs_sketch(&self, url: &str) -> bool {
        !self.grown.is_empty() && families(url).any(|key| self.grown.contains_key(&key))
    }

    /// A page was read, and is the first to lead to these addresses. Gives what is
    /// stopped by that.
    pub(in crate::crawl) fn handle_read<'a>(
        &mut self,
        url: &str,
        sketch: Option<Sketch>,
        new: impl Iterator<Item = &'a str>,
    ) -> Option<Stop> {
        if !self.needs_sketch(url) {
            return None;
        }
        // A page without text says what every page without text says.
        let sketch = sketch.unwrap_or_default();
        // What was stopped already leads nowhere.
        let leads_on = |other: &&str| !families(other).any(|key| self.stopped.contains(&key));
        let new: Vec<&str> = new.filter(leads_on).collect();
        let out_of_all = new.iter().any(|other| !self.needs_sketch(other));
        let path = path_of(url);
        let mut stop = None;
        for part in parts(path) {
            let key = keyed(url, part.family(path));
            let Some(family) = self.grown.get_mut(&key) else { continue };
            let is_member = |other: &str| families(other).any(|of| of == key);
            let discovered = self.counts.get(&u128::from(key)).copied().unwrap_or_default();
            let profile = PageProfile {
                out: new.iter().any(|other| !is_member(other)),
                out_of_all,
                same: !family.texts.insert(sketch.text),
                alike: !family.outlines.insert(sketch.outline),
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
        // Those that were read as the family grew were heard of before it was counted.
        let waiting = discovered.saturating_sub(self.read + u64::from(GROWING));
        let (new, few) = (discovered - oldest.discovered, FEW_WAIT.max(self.read / 10));
        let goes_round = differs_in_query && new > 0 && most(|s| s.same) && none(|s| s.out_of_all);
        let goes_on = waiting <= few && new >= ALIKE as u64 && most(|s| s.alike) && none(|s| s.out);
        goes_round || goes_on
    }
}

/// The families that an address belongs to.
fn families(url: &str) -> impl Iterator<Item = u64> {
    let path = path_of(url);
    parts(path).into_iter().map(move |part| keyed(url, part.family(path)))
}

/// Families of different hosts are different.
fn keyed(url: &str, family: u64) -> u64 {
    let host = &url[..url.len() - path_of(url).len()];
    family ^ xxh3_64(host.as_bytes())
}

/// A segment of the path that stands in it too often.
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

/// The query; each date and each number of the path before it. A path with many
/// numbers has none that counts up.
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

/// Whether a digit belongs to a percent-encoded octet.
fn is_encoded(bytes: &[u8], at: usize) -> bool {
    (at >= 1 && bytes[at - 1] == b'%') || (at >= 2 && bytes[at - 2] == b'%')
}

/// Years with the months and days after them, or else before them: 2026-11,
/// 2026/11/23, 23.11.2026.
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
    fn families_differ_in_the_query_a_number_or_a_date() {
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
            ("/1f2e3d4c5b6a7", &[]),
            ("/a%20b1", &["/a%20b*"]),
            ("/7/8", &["/*/8", "/7/*"]),
        ] {
            assert_eq!(rules(path), expected, "{path}");
        }
    }

    #[test]
    fn a_segment_may_stand_three_times() {
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

    /// Reads `/c?m=1`, `/c?m=2` and so on, with these texts, until something is
    /// stopped. Each page is heard of when the one says so that leads to it.
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
    fn sessions_are_stopped_though_many_wait() {
        let new = |n| members("/c?m=", 5 * n..5 * n + 5);
        assert!(read_on("/c?m=", 5000, |_| says(7, 7), new).is_some());
        let in_path = |n| members("/c/", 5 * n..5 * n + 5);
        assert_eq!(read_on("/c/", 5000, |_| says(7, 7), in_path), None, "pages by number are real");
    }

    #[test]
    fn real_pages_are_not_stopped() {
        let path = "/c?m=";
        let next = |n| members(path, n + 1..=n + 1);
        assert_eq!(read_on(path, 3000, |n| says(n, n), next), None, "they say different things");
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
