//! Pages that a server gives for anything: found by nonexistent test URLs.
//!
//! For each folder and ending in which pages respond well, one URL that cannot be there is
//! requested. Where the server says 404, its word is good. Where it gives a page, others that
//! say the same are missing too, whatever their status. A server that gives its home page for
//! anything says nothing by that: its pages may be rendered by JavaScript. Nor does one that
//! gives nearly the same page for all that it has.

use std::collections::HashMap;

use url::Url;
use xxhash_rust::xxh3::xxh3_64;

use crate::crawl::messages::{Judged, ServerId, UrlId};

/// How the last segment of a nonexistent test URL begins, so that it can be told in a
/// server's log.
pub const TEST_PREFIX: &str = "rummage-made-up-";
/// Of so many pages of one shape, not nearly all can be missing.
const MANY: usize = 10;

/// What servers say of what cannot be there.
#[derive(Debug, Default)]
pub(super) struct Soft404Probes {
    groups: Vec<Group>,
    /// By what a URL must begin and end with.
    by_shape: HashMap<String, usize>,
    /// The groups whose test URLs these are.
    by_probe: HashMap<UrlId, usize>,
    /// What pages say, by their likeness.
    likeness: HashMap<UrlId, u64>,
    of_server: HashMap<ServerId, u32>,
}

#[derive(Debug)]
struct Group {
    probe: UrlId,
    says: ProbeOutcome,
    pages: Vec<UrlId>,
}

/// What came of a nonexistent test URL.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ProbeOutcome {
    /// Not known yet.
    Unknown,
    /// That it is missing, or nothing.
    Missing,
    /// A page of this likeness.
    Page(u64),
}

impl Soft404Probes {
    /// A page says something of this likeness. Gives its group, or the test URL of a new one:
    /// at most so many are made for one server.
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

    /// A test URL has its verdict. Gives its group, and whether it says something.
    pub(super) fn handle_probe(&mut self, id: UrlId, judged: &Judged) -> Option<(usize, bool)> {
        let group = *self.by_probe.get(&id)?;
        let responded = judged.status.is_some_and(|status| (200..300).contains(&status));
        let likeness = self.likeness.get(&judged.last).filter(|_| responded);
        self.groups[group].says =
            likeness.map_or(ProbeOutcome::Missing, |l| ProbeOutcome::Page(*l));
        Some((group, likeness.is_some()))
    }

    /// The groups whose test URLs got a page.
    pub(super) fn groups_with_pages(&self) -> Vec<(usize, UrlId)> {
        let groups = self.groups.iter().enumerate();
        let with_page = groups.filter(|(_, group)| matches!(group.says, ProbeOutcome::Page(_)));
        with_page.map(|(number, group)| (number, group.probe)).collect()
    }

    /// A page was seen to say something of this likeness.
    pub(super) fn handle_likeness(&mut self, id: UrlId, likeness: u64) {
        self.likeness.insert(id, likeness);
    }

    /// Whether it is known what a page says.
    pub(super) fn knows(&self, id: UrlId) -> bool {
        self.likeness.contains_key(&id)
    }

    /// The test URL of a group.
    pub(super) fn probe(&self, group: usize) -> UrlId {
        self.groups[group].probe
    }

    /// Whether each page of a group says what was said of its test URL, and the server does not
    /// say so of nearly all that it has.
    pub(super) fn missing(&self, group: usize, home: UrlId) -> Vec<(UrlId, bool)> {
        let Group { says: ProbeOutcome::Page(likeness), pages, .. } = &self.groups[group] else {
            return Vec::new();
        };
        if self.likeness.get(&home) == Some(likeness) {
            return Vec::new();
        }
        let is_alike = |id: &UrlId| self.likeness.get(id) == Some(likeness);
        // Where nearly all are, the server has one page for what is there as well.
        let count = pages.iter().filter(|id| is_alike(id)).count();
        let says_nothing = pages.len() >= MANY && count * 10 >= pages.len() * 9;
        pages.iter().map(|id| (*id, is_alike(id) && !says_nothing)).collect()
    }
}

/// The test URL for a page.
pub(super) enum Probe {
    /// That of this group.
    Known(usize),
    /// One that is not requested yet, for URLs of this shape.
    New(String, Url),
}

/// The folder and the ending of an address, and an address of the same shape that
/// cannot be there. A slash at the end is an ending.
fn shape(url: &Url) -> (String, String) {
    let path = url.path();
    let (body, slash) = match path.strip_suffix('/') {
        Some(body) => (body, "/"),
        None => (path, ""),
    };
    let cut = body.rfind('/').map_or(0, |at| at + 1);
    let (folder, name) = body.split_at(cut);
    let extension = name.rfind('.').filter(|_| slash.is_empty()).map_or("", |at| &name[at..]);
    // An ending is short, and no part of a sentence.
    let extension = if extension.len() <= 6 { extension } else { "" };
    let origin = &url[..url::Position::BeforePath];
    let folder = if folder.is_empty() { "/" } else { folder };
    let shape = format!("{origin}{folder}*{extension}{slash}");
    let number = xxh3_64(shape.as_bytes());
    let test_url = format!("{origin}{folder}{TEST_PREFIX}{:08x}{extension}{slash}", number >> 32);
    (shape, test_url)
}

/// The address that is made up to see whether this one is there.
#[must_use]
pub fn nonexistent_sibling(url: &str) -> Option<String> {
    Url::parse(url).ok().map(|url| shape(&url).1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_url_is_made_up_beside_those_of_its_shape() {
        let made = |url: &str| {
            let (shape, test_url) = shape(&Url::parse(url).unwrap());
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
