//! Pages that a server gives for anything: found by asking for what cannot be there.
//!
//! For each folder and ending in which pages answer well, one address is made up and
//! asked. Where the server says 404, its word is good. Where it gives a page, others
//! that say the same are missing too, whatever their status. A server that gives its
//! home page for anything says nothing by that: its pages may be drawn by script. Nor
//! does one that gives nearly the same page for all that it has.

use std::collections::HashMap;

use url::Url;
use xxhash_rust::xxh3::xxh3_64;

use super::entry::{State, Uses};
use super::{AddressId, Crawl, Judged};
use crate::crawl::frontier::ServerId;
use crate::url::scope::Scope;

/// How an address that was made up begins, so that who reads a server's log knows.
pub const MADE_UP: &str = "rummage-made-up-";
/// So many are made up for one server: of the site, and of others.
const OWN_MOST: u32 = 30;
const OTHER_MOST: u32 = 4;
/// Of so many pages of one shape, not nearly all can be missing.
const MANY: usize = 10;

/// What servers say of what cannot be there.
#[derive(Debug, Default)]
pub(super) struct MadeUp {
    groups: Vec<Group>,
    /// By what an address must begin and end with.
    by_shape: HashMap<String, usize>,
    /// The groups for which an address was made up.
    by_probe: HashMap<AddressId, usize>,
    /// What pages say, by their likeness.
    likeness: HashMap<AddressId, u64>,
    of_server: HashMap<ServerId, u32>,
}

#[derive(Debug)]
struct Group {
    probe: AddressId,
    says: Says,
    pages: Vec<AddressId>,
}

/// What came of an address that was made up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Says {
    /// Not known yet.
    Unknown,
    /// That it is missing, or nothing.
    Nothing,
    /// A page of this likeness.
    Page(u64),
}

/// The folder and the ending of an address, and an address of the same shape that
/// cannot be there. A slash at the end is an ending.
fn shape(address: &Url) -> (String, String) {
    let path = address.path();
    let (body, slash) = match path.strip_suffix('/') {
        Some(body) => (body, "/"),
        None => (path, ""),
    };
    let cut = body.rfind('/').map_or(0, |at| at + 1);
    let (folder, name) = body.split_at(cut);
    let ending = name.rfind('.').filter(|_| slash.is_empty()).map_or("", |at| &name[at..]);
    // An ending is short, and no part of a sentence.
    let ending = if ending.len() <= 6 { ending } else { "" };
    let origin = &address[..url::Position::BeforePath];
    let folder = if folder.is_empty() { "/" } else { folder };
    let shape = format!("{origin}{folder}*{ending}{slash}");
    let number = xxh3_64(shape.as_bytes());
    let made_up = format!("{origin}{folder}{MADE_UP}{:08x}{ending}{slash}", number >> 32);
    (shape, made_up)
}

/// The address that is made up to see whether this one is there.
#[must_use]
pub fn made_up_beside(address: &str) -> Option<String> {
    Url::parse(address).ok().map(|url| shape(&url).1)
}

impl Crawl {
    /// A page answered well, and says something of this likeness.
    pub(super) fn compare_with_made_up(&mut self, id: AddressId, likeness: u64) {
        self.made_up.likeness.insert(id, likeness);
        let entry = self.entry(id);
        let is_list = self.settings.lists && entry.scope == Scope::Internal;
        let is_page = entry.uses.visit() && !is_list;
        let Some(server) = entry.server.filter(|_| is_page) else { return };
        let most = if entry.scope == Scope::Internal { OWN_MOST } else { OTHER_MOST };
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        // A root has nothing to be told from.
        if url.path() == "/" && url.query().is_none() {
            return;
        }
        let (shape, made_up) = shape(&url);
        if let Some(&group) = self.made_up.by_shape.get(&shape) {
            self.made_up.groups[group].pages.push(id);
            return self.judge_alike(group);
        }
        let count = self.made_up.of_server.entry(server).or_default();
        if *count >= most {
            return;
        }
        *count += 1;
        let Ok(made_up) = Url::parse(&made_up) else { return };
        let probe = self.hear(&made_up, u32::MAX, 0);
        let group = self.made_up.groups.len();
        self.made_up.groups.push(Group { probe, says: Says::Unknown, pages: vec![id] });
        self.made_up.by_shape.insert(shape, group);
        self.made_up.by_probe.insert(probe, group);
        self.use_address(probe, Uses::PROBE, u32::MAX);
        if let State::Settled(judged) = self.entry(probe).state {
            self.handle_made_up(probe, &judged);
        }
    }

    /// An address has its verdict: if it was made up, or is the home page of one that
    /// was, something may follow.
    pub(super) fn handle_made_up(&mut self, id: AddressId, judged: &Judged) {
        if let Some(&group) = self.made_up.by_probe.get(&id) {
            let answered = judged.status.is_some_and(|status| (200..300).contains(&status));
            let likeness = self.made_up.likeness.get(&judged.last).filter(|_| answered);
            self.made_up.groups[group].says = likeness.map_or(Says::Nothing, |l| Says::Page(*l));
            if likeness.is_some() {
                self.ask_home(id);
            }
            self.judge_alike(group);
        } else if self.made_up.likeness.contains_key(&id) && self.address(id).ends_with('/') {
            for group in 0..self.made_up.groups.len() {
                let probe = self.made_up.groups[group].probe;
                if matches!(self.made_up.groups[group].says, Says::Page(_))
                    && self.home(probe) == Some(id)
                {
                    self.judge_alike(group);
                }
            }
        }
    }

    /// The home page of an address's server, as far as it was heard of.
    fn home(&self, id: AddressId) -> Option<AddressId> {
        let home = Url::parse(self.address(id)).ok()?.join("/").ok()?;
        self.addresses.get_index_of(home.as_str()).map(AddressId::from_index)
    }

    fn ask_home(&mut self, id: AddressId) {
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        if let Ok(home) = url.join("/") {
            self.use_root(&home, Uses::VISIT);
        }
    }

    /// Pages that say what was said of the address that was made up are missing, unless
    /// the home page says so too.
    fn judge_alike(&mut self, group: usize) {
        let Group { probe, says: Says::Page(likeness), .. } = self.made_up.groups[group] else {
            return;
        };
        let Some(home) = self.home(probe).map(|home| self.last_hop(home)) else { return };
        let knows_home = matches!(self.entry(home).state, State::Settled(_));
        if !knows_home || self.made_up.likeness.get(&home) == Some(&likeness) {
            return;
        }
        let pages = self.made_up.groups[group].pages.clone();
        let is_alike = |id: &AddressId| self.made_up.likeness.get(id) == Some(&likeness);
        let alike: Vec<bool> = pages.iter().map(is_alike).collect();
        // Where nearly all are, the server has one page for what is there as well.
        let count = alike.iter().filter(|alike| **alike).count();
        let says_nothing = pages.len() >= MANY && count * 10 >= pages.len() * 9;
        for (id, alike) in pages.into_iter().zip(alike) {
            let now = alike && !says_nothing;
            if std::mem::replace(&mut self.entry_mut(id).like_made_up, now) != now {
                self.judge_again(id);
            }
        }
    }

    fn last_hop(&self, id: AddressId) -> AddressId {
        match self.entry(id).state {
            State::Settled(judged) => judged.last,
            _ => id,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_is_made_up_beside_those_of_its_shape() {
        let made = |address: &str| {
            let (shape, made_up) = shape(&Url::parse(address).unwrap());
            let start = made_up.find(MADE_UP).unwrap();
            let after = start + MADE_UP.len() + 8;
            (shape, format!("{}…{}", &made_up[..start], &made_up[after..]))
        };
        for (address, shape, made_up) in [
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
            assert_eq!(made(address), (shape.to_owned(), made_up.to_owned()), "{address}");
        }
    }
}
