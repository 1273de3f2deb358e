//! Parts of pages whose links have been followed: menus, headers, footers.
//!
//! Most links of a site are those of its menus, the same on page after page. Once they have been
//! followed on one page, there is nothing more to do on the next, unless something about that page
//! makes a difference: its folder, say, if a reference is relative.

use std::collections::HashMap;

use super::link_faults::fault_of;
use super::place::Place;
use crate::crawl::board::Board;
use crate::crawl::messages::{Judged, Target, UrlId};
use crate::crawl::urls::Phase;
use crate::extract::reading::Link;
use crate::extract::shared_parts::{PartId, SharedPart};
use crate::url::memo::depends_on_folder;
use crate::url::userinfo::is_masked;
use crate::verdict::{Cause, is_leftover};

/// How many bytes the targets of all parts may take: far more than the menus of a site have.
const MOST_BYTES: usize = 8 << 20;

/// The parts that were followed, by what makes a difference.
#[derive(Debug, Default)]
pub(super) struct Parts {
    known: HashMap<(PartId, u64), KnownPart>,
    bytes: usize,
    last_number: u64,
}

/// A part that was followed.
#[derive(Debug)]
pub(super) struct KnownPart {
    pub(super) number: u64,
    /// The depth of the page on which it was followed. On a nearer one, it is followed again.
    depth: u32,
    pub(super) targets: Box<[Target]>,
    pub(super) pages: Box<[UrlId]>,
    /// The page on which it was followed, if it names that page: only on other pages does this count
    /// as a link to it.
    pub(super) names_itself: Option<UrlId>,
}

/// Hashes of what makes a difference on a page: for parts without relative references, and for
/// those with such.
fn differences(place: &Place<'_>) -> [u64; 2] {
    place.sources.hashes().map(|hash| hash ^ u64::from(place.upgrades))
}

impl Parts {
    /// What following this part gave before.
    pub(super) fn find(&self, place: &Place<'_>, id: PartId) -> Option<&KnownPart> {
        let known = differences(place).into_iter().find_map(|on| self.known.get(&(id, on)));
        known.filter(|known| known.depth <= place.depth)
    }

    /// A part has been followed. Returns its number, if it will give the same on other pages.
    pub(super) fn keep(
        &mut self,
        board: &Board,
        place: &Place<'_>,
        part: &SharedPart,
        targets: &[Target],
        pages: &[UrlId],
    ) -> Option<u64> {
        // What only copies name is not requested; another page may name it, too.
        if !place.reading.format.is_page() || place.leads_nowhere {
            return None;
        }
        let mut is_relative = false;
        for (link, target) in place.reading.links_at(part.links.clone()).zip(targets) {
            is_relative |= depends(board, place, &link, target)?;
        }
        let [anywhere, in_folder] = differences(place);
        if self.bytes > MOST_BYTES {
            self.known.clear();
            self.bytes = 0;
        }
        self.bytes += targets.iter().map(weight).sum::<usize>();
        self.last_number += 1;
        let number = self.last_number;
        let known = KnownPart {
            number,
            depth: place.depth,
            targets: targets.into(),
            pages: pages.into(),
            names_itself: targets.iter().map(|to| to.id).find(|id| *id == place.page),
        };
        self.known.insert((part.id, if is_relative { in_folder } else { anywhere }), known);
        Some(number)
    }
}

/// The bytes of a target in memory, about.
fn weight(target: &Target) -> usize {
    2 * size_of::<Target>() + target.fragment.as_ref().map_or(0, String::len)
}

/// Whether what a link gives depends on the folder of its page; `None` if it depends on more, or if
/// the link is unusual.
fn depends(board: &Board, place: &Place<'_>, link: &Link<'_>, target: &Target) -> Option<bool> {
    let written = link.written;
    let has_fault = || {
        let title = place.reading.title();
        fault_of(board, place.page, target, link, title).is_some()
    };
    if is_masked(written) || is_leftover(written) {
        return None;
    }
    if is_other(board, target.id) {
        return (!has_fault()).then_some(false);
    }
    let source = place.sources.of(link);
    let folder = depends_on_folder(&source.keys, written).filter(|_| source.may_remember(written));
    folder.filter(|_| !has_fault())
}

/// Whether a URL is none of the web, such as a mail address: it does not depend on the page.
fn is_other(board: &Board, id: UrlId) -> bool {
    let phase = board.entry(id).phase();
    matches!(phase, Phase::Settled(Judged { cause: Some(Cause::OtherScheme), .. }))
}
