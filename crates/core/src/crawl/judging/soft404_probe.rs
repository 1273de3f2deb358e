//! Detects servers that send a page for any URL, by nonexistent test URLs.
//!
//! For each folder and extension with pages that respond well, one URL that cannot exist is
//! requested. If the server responds 404 to it, its other responses can be trusted. If it sends a
//! page, other pages with the same text are missing too, whatever their status. Nothing follows
//! if a server sends its home page for any URL, because its pages may be rendered by JavaScript,
//! or if it sends nearly the same page for everything.

use std::collections::HashMap;
use std::num::NonZeroU64;

use url::Url;
use xxhash_rust::xxh3::xxh3_64;

use crate::crawl::messages::{Judged, ServerId, UrlId};
use crate::crawl::urls::ByUrl;

/// The start of the last segment of nonexistent test URLs, so that they can be recognized in a
/// server's log.
pub const TEST_PREFIX: &str = "rummage-nonexistent-";
/// If a shape has this many pages, not nearly all of them can be missing.
const MANY: usize = 10;

/// The test URLs of all servers, and their results.
#[derive(Debug, Default)]
pub(super) struct Soft404Probes {
    groups: Vec<Group>,
    /// Groups by the prefix and suffix of their URLs.
    by_shape: HashMap<String, usize>,
    /// Groups by their test URL.
    by_probe: HashMap<UrlId, usize>,
    /// The likeness of pages.
    likeness: ByUrl<NonZeroU64>,
    of_server: HashMap<ServerId, u32>,
}

#[derive(Debug)]
struct Group {
    probe: UrlId,
    says: ProbeOutcome,
    pages: Vec<UrlId>,
}

/// The result of a nonexistent test URL.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ProbeOutcome {
    /// Unknown so far.
    Unknown,
    /// Missing, or without any text.
    Missing,
    /// A page of this likeness.
    Page(u64),
}

impl Soft404Probes {
    /// A page has a text of this likeness. Returns its group, or the test URL of a new one, up to
    /// a limit for each server.
    pub(super) fn handle_page(
        &mut self,
        id: UrlId,
        url: &Url,
        server: ServerId,
        most: u32,
    ) -> Option<Probe> {
        let (shape, test_url) = shape(url);
        if let Some(&group) = self.by_shape.get(&shape) {
            self.groups[group].pages.push(id);
            return Some(Probe::Known(group));
        }
        let count = self.of_server.entry(server).or_default();
        if *count >= most {
            return None;
        }
        *count += 1;
        Some(Probe::New(shape, Url::parse(&test_url).ok()?))
    }

    pub(super) fn add(&mut self, shape: String, probe: UrlId, page: UrlId) {
        let group = self.groups.len();
        self.groups.push(Group { probe, says: ProbeOutcome::Unknown, pages: vec![page] });
        self.by_shape.insert(shape, group);
        self.by_probe.insert(probe, group);
    }

    /// A test URL has its verdict. Returns its group, and whether it is a page.
    pub(super) fn handle_probe(&mut self, id: UrlId, judged: &Judged) -> Option<(usize, bool)> {
        let group = *self.by_probe.get(&id)?;
        let responded = judged.status.is_some_and(|status| (200..300).contains(&status));
        let likeness = self.likeness_of(judged.last).filter(|_| responded);
        self.groups[group].says = likeness.map_or(ProbeOutcome::Missing, ProbeOutcome::Page);
        Some((group, likeness.is_some()))
    }

    /// The groups whose test URL is a page.
    pub(super) fn groups_with_pages(&self) -> Vec<(usize, UrlId)> {
        let groups = self.groups.iter().enumerate();
        let with_page = groups.filter(|(_, group)| matches!(group.says, ProbeOutcome::Page(_)));
        with_page.map(|(number, group)| (number, group.probe)).collect()
    }

    /// A page has a text of this likeness.
    pub(super) fn handle_likeness(&mut self, id: UrlId, likeness: u64) {
        // A hash that is 0 is as rare as a collision.
        if let Some(likeness) = NonZeroU64::new(likeness) {
            self.likeness.insert(id, likeness);
        }
    }

    fn likeness_of(&self, id: UrlId) -> Option<u64> {
        self.likeness.get(id).map(|likeness| likeness.get())
    }

    /// Whether the likeness of a page is known.
    pub(super) fn knows(&self, id: UrlId) -> bool {
        self.likeness.get(id).is_some()
    }

    /// The test URL of a group.
    pub(super) fn probe(&self, group: usize) -> UrlId {
        self.groups[group].probe
    }

    /// Whether each page of a group has the same text as its test URL. None, if the server sends
    /// nearly the same page for everything.
    pub(super) fn missing(&self, group: usize, home: UrlId) -> Vec<(UrlId, bool)> {
        let Group { says: ProbeOutcome::Page(likeness), pages, .. } = &self.groups[group] else {
            return Vec::new();
        };
        if self.likeness_of(home) == Some(*likeness) {
            return Vec::new();
        }
        let is_alike = |id: &UrlId| self.likeness_of(*id) == Some(*likeness);
        // If nearly all are alike, the server sends the same page for what exists.
        let count = pages.iter().filter(|id| is_alike(id)).count();
        let says_nothing = pages.len() >= MANY && count * 10 >= pages.len() * 9;
        pages.iter().map(|id| (*id, is_alike(id) && !says_nothing)).collect()
    }
}

/// The test URL for a page.
pub(super) enum Probe {
    /// The one of this group.
    Known(usize),
    /// One that is not requested yet, for URLs of this shape.
    New(String, Url),
}

/// The folder and extension of a URL, and a URL of the same shape that cannot exist. A trailing
/// slash counts as an extension.
fn shape(url: &Url) -> (String, String) {
    let path = url.path();
    let (body, slash) = match path.strip_suffix('/') {
        Some(body) => (body, "/"),
        None => (path, ""),
    };
    let cut = body.rfind('/').map_or(0, |at| at + 1);
    let (folder, name) = body.split_at(cut);
    let extension = name.rfind('.').filter(|_| slash.is_empty()).map_or("", |at| &name[at..]);
    // An extension is short, and no part of a sentence.
    let extension = if extension.len() <= 6 { extension } else { "" };
    let origin = &url[..url::Position::BeforePath];
    let folder = if folder.is_empty() { "/" } else { folder };
    let shape = format!("{origin}{folder}*{extension}{slash}");
    let number = xxh3_64(shape.as_bytes());
    let test_url = format!("{origin}{folder}{TEST_PREFIX}{:08x}{extension}{slash}", number >> 32);
    (shape, test_url)
}

/// The test URL whose response shows whether this URL exists.
#[must_use]
pub fn nonexistent_sibling(url: &str) -> Option<String> {
    Url::parse(url).ok().map(|url| shape(&url).1)
}

/// Whether a URL is such a test URL.
#[must_use]
pub fn is_test_url(url: &str) -> bool {
    let path = url.split(['?', '#']).next().unwrap_or_default();
    let last = path.strip_suffix('/').unwrap_or(path).rsplit('/').next();
    last.is_some_and(|segment| segment.starts_with(TEST_PREFIX))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_are_missing_if_they_are_alike_unless_nearly_all_are() {
        let id = UrlId::from_index;
        let missing = |pages: usize, alike: usize| {
            let pages: Vec<UrlId> = (1..=pages).map(id).collect();
            let group = Group { probe: id(0), says: ProbeOutcome::Page(7), pages: pages.clone() };
            let mut probes = Soft404Probes { groups: vec![group], ..Soft404Probes::default() };
            pages[..alike].iter().for_each(|page| probes.handle_likeness(*page, 7));
            probes.missing(0, id(99)).iter().filter(|(_, is_missing)| *is_missing).count()
        };
        assert_eq!((missing(9, 9), missing(10, 5), missing(10, 8)), (9, 5, 8));
        assert_eq!((missing(10, 9), missing(20, 18), missing(20, 17)), (0, 0, 17));
    }

    #[test]
    fn a_test_url_has_the_shape_of_its_page() {
        let made = |url: &str| {
            let (shape, test_url) = shape(&Url::parse(url).unwrap());
            assert!(is_test_url(&test_url) && !is_test_url(url), "{test_url}");
            let start = test_url.find(TEST_PREFIX).unwrap();
            let after = start + TEST_PREFIX.len() + 8;
            (shape, format!("{}…{}", &test_url[..start], &test_url[after..]))
        };
        for (url, shape, test_url) in [
            (
                "http://a.test/boats/hazel.html",
                "http://a.test/boats/*.html",
                "http://a.test/boats/….html",
            ),
            ("http://a.test/boats/hazel/", "http://a.test/boats/*/", "http://a.test/boats/…/"),
            ("http://a.test/boats/hazel", "http://a.test/boats/*", "http://a.test/boats/…"),
            ("http://a.test/x?id=7", "http://a.test/*", "http://a.test/…"),
            ("http://a.test/v1.2-beta-notes", "http://a.test/*", "http://a.test/…"),
            ("http://a.test/?page=7", "http://a.test/*/", "http://a.test/…/"),
        ] {
            assert_eq!(made(url), (shape.to_owned(), test_url.to_owned()), "{url}");
        }
    }
}
