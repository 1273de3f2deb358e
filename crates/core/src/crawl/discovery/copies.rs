//! Copies: pages with the same text, each of which leads to something new.
//!
//! [Families](super::traps) are seen in URLs. A server that makes up words, or puts a session into
//! the path, has none. What it cannot hide is that it has nothing to say: hundreds of pages have
//! the same words, and images of the same names. Text that has been seen this often leads nowhere
//! new. A page that repeats parts of its own URL, a number or a date is still a copy; one with a
//! single other word, even in a link, is not.

use std::collections::{HashMap, hash_map};

use xxhash_rust::xxh3::xxh3_64;

use super::traps::Stop;
use crate::crawl::urls::Roles;
use crate::extract::reading::Reading;
use crate::url::hashed::{Key, Recent};
use crate::url::reference::path_of;

/// So many copies are stopped, if each has led to something new.
const MANY: u32 = 500;
/// So many are stopped if each has led to several new URLs, which would have to be fetched first.
const MANY_THAT_MULTIPLY: u32 = 100;
const MULTIPLIES: u64 = 5;

/// So many pages without copies are remembered at least. Copies that are rarer than that do not
/// keep a crawl from its end.
const SINGLE: usize = 100_000;

/// The pages of a site by what they say.
#[derive(Debug)]
pub(super) struct Copies {
    /// Pages that nothing was a copy of, which are nearly all: how many pages of the site each was
    /// the first to name.
    single: Recent,
    groups: HashMap<u64, Group>,
}

impl Default for Copies {
    fn default() -> Copies {
        Copies { single: Recent::holding(SINGLE), groups: HashMap::new() }
    }
}

#[derive(Debug, Default)]
struct Group {
    pages: u32,
    /// How many pages of the site they were the first to name.
    new: u32,
    stopped: bool,
    /// The folder that all but the first are in: most pages have no copies.
    folder: Option<Box<str>>,
}

/// What a page says: the hash of its text and of the names of its images, stylesheets and so on.
/// `None` for a page without text, or with too much to compare.
pub(super) fn profile(reading: &Reading) -> Option<u64> {
    let mut profile = reading.likeness.filter(|_| reading.format.is_page())?;
    for link in reading.links().filter(|link| !Roles::of(link).visit()) {
        let path = link.written.split(['?', '#']).next().unwrap_or_default();
        let name = path.rsplit('/').next().unwrap_or_default();
        profile = profile.rotate_left(7) ^ xxh3_64(name.as_bytes());
    }
    Some(profile)
}

impl Copies {
    /// Whether pages that say this lead nowhere new.
    pub(super) fn is_stopped(&self, profile: u64) -> bool {
        self.groups.get(&profile).is_some_and(|group| group.stopped)
    }

    /// A page was parsed, and is the first to name so many pages. Returns the group that is
    /// stopped because of that.
    pub(super) fn handle_read(&mut self, url: &str, profile: u64, new: u32) -> Option<Stop> {
        let group = match self.groups.entry(profile) {
            hash_map::Entry::Occupied(known) => known.into_mut(),
            hash_map::Entry::Vacant(unknown) => match self.single.find(Key::of_hash(profile)) {
                Some(new) => unknown.insert(Group { pages: 1, new, ..Group::default() }),
                None => {
                    self.single.keep(Key::of_hash(profile), new);
                    return None;
                }
            },
        };
        (group.pages, group.new) = (group.pages + 1, group.new.saturating_add(new));
        group.widen(path_of(url));
        let (pages, new) = (u64::from(group.pages), u64::from(group.new));
        let goes_on = group.pages >= MANY && new * 10 >= pages * 9;
        let multiplies = group.pages >= MANY_THAT_MULTIPLY && new >= pages * MULTIPLIES;
        if group.stopped || !(goes_on || multiplies) {
            return None;
        }
        group.stopped = true;
        let rule = format!("{}*", group.folder.as_deref().unwrap_or("/"));
        Some(Stop { sample: url.to_owned(), rule, read: group.pages.into() })
    }
}

impl Group {
    /// A page with this path belongs to it as well.
    fn widen(&mut self, path: &str) {
        let path = path.split('?').next().unwrap_or_default();
        let known = self.folder.as_deref().unwrap_or(path);
        let same = known.bytes().zip(path.bytes()).take_while(|(one, other)| one == other).count();
        let end = path[..same].rfind('/').map_or(0, |slash| slash + 1);
        if self.folder.as_deref().is_none_or(|folder| folder.len() != end) {
            self.folder = Some(path[..end].into());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::extract::{Extractor, Format, Limits};

    /// Parses copies until they are stopped, each the first to name so many pages.
    fn stopped_after(new: impl Fn(u32) -> u32) -> Option<(u32, Stop)> {
        let mut copies = Copies::default();
        (1..=2_000).find_map(|page| {
            assert!(!copies.is_stopped(7));
            let stop = copies.handle_read(&format!("http://a.test/w/{page}/x"), 7, new(page))?;
            assert!(copies.is_stopped(7) && !copies.is_stopped(8));
            assert_eq!(copies.handle_read("http://a.test/w/y", 7, 1), None, "once");
            Some((page, stop))
        })
    }

    #[test]
    fn copies_are_stopped_if_each_leads_to_something_new() {
        let (pages, stop) = stopped_after(|_| 1).expect("it is endless");
        assert_eq!((pages, stop.read, stop.rule.as_str()), (500, 500, "/w/*"));
        assert_eq!(stop.sample, "http://a.test/w/500/x");
        assert_eq!(stopped_after(|_| 5).expect("it is endless").0, 100);
        assert_eq!(stopped_after(|page| u32::from(page % 10 != 0)).expect("nine in ten").0, 500);
        assert_eq!(stopped_after(|page| u32::from(page % 2 == 0)), None);
        assert_eq!(stopped_after(|page| if page == 1 { 400 } else { 0 }), None, "one lists them");
    }

    #[test]
    fn copies_are_found_among_many_other_pages() {
        let mut copies = Copies::default();
        let mut other = 1000;
        let stop = (1..=600).find_map(|page| {
            for _ in 0..500 {
                other += 1;
                copies.handle_read("http://a.test/other", other, 1);
            }
            copies.handle_read(&format!("http://a.test/w/{page}/x"), 7, 1)
        });
        assert_eq!(stop.expect("it is endless").read, 500);
    }

    #[test]
    fn pages_of_different_folders_have_the_root_in_common() {
        let mut group = Group::default();
        for (path, folder) in [("/a/b/c?d=/e", "/a/b/"), ("/a/b/", "/a/b/"), ("/a/bc", "/a/")] {
            group.widen(path);
            assert_eq!(group.folder.as_deref(), Some(folder), "{path}");
        }
        group.widen("/x");
        assert_eq!(group.folder.as_deref(), Some("/"));
    }

    #[test]
    fn a_page_says_its_words_and_the_names_of_its_images() {
        let says = |url: &str, html: &str| {
            let limits = Limits { bytes: 1 << 20, links: 100 };
            let mut page = Extractor::of_url(url, Format::Html, None, limits, false);
            page.feed(html.as_bytes());
            profile(&page.finish())
        };
        let lock =
            says("http://a.test/1/lock", "<p>The lock is shut<a href=2>on</a><img src=1/l.png>");
        assert!(lock.is_some());
        let alike = "<p>The lock is shut<a href=3>on</a><img src=/2/l.png?s=1>";
        assert_eq!(says("http://a.test/2/lock", alike), lock);
        for other in [
            "<p>The lock is open<a href=2>on</a><img src=1/l.png>",
            "<p>The lock is shut<a href=2>back</a><img src=1/l.png>",
            "<p>The lock is shut<a href=2>on</a><img src=1/m.png>",
            "<p>The lock is shut<a href=2>on</a>",
        ] {
            assert_ne!(says("http://a.test/1/lock", other), lock, "{other}");
        }
        assert_eq!(says("http://a.test/1/lock", "<img src=1/l.png>"), None);
    }
}
