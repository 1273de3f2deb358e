//! Which fragments lack an anchor on their page, in whatever order links and pages arrive.

use std::collections::{BTreeMap, HashMap};

use super::anchor_sets::AnchorSets;
use crate::crawl::board::Board;
use crate::crawl::messages::{Event, FragmentFault, Judged, UrlId};
use crate::url::fragment::{AnchorIndex, FragmentMatch, find};
use crate::verdict::Verdict;

#[derive(Debug, Default)]
pub(in crate::crawl) struct FragmentIndex {
    /// The anchors of pages that were read to their end.
    pages: AnchorSets,
    /// Fragments that links name, by URL.
    wanted: HashMap<UrlId, BTreeMap<String, FragmentUse>>,
}

/// Who names a fragment, and whether it was judged.
#[derive(Debug, Clone, Copy)]
struct FragmentUse {
    judged: bool,
    /// Only links that a script acts on.
    by_script: bool,
}

impl FragmentIndex {
    /// A page was read to its end.
    pub(in crate::crawl) fn handle_page(&mut self, page: UrlId, anchors: AnchorIndex) {
        self.pages.insert(page, anchors);
    }

    /// A link names a fragment; `scripted` if a script acts on the link. Returns whether there is
    /// something new to judge.
    pub(in crate::crawl) fn handle_wanted(
        &mut self,
        url: UrlId,
        fragment: &str,
        scripted: bool,
    ) -> bool {
        let of_url = self.wanted.entry(url).or_default();
        match of_url.get_mut(fragment) {
            Some(known) if known.by_script && !scripted => {
                *known = FragmentUse { judged: false, by_script: false };
                true
            }
            Some(_) => false,
            None => {
                of_url.insert(
                    fragment.to_owned(),
                    FragmentUse { judged: false, by_script: scripted },
                );
                true
            }
        }
    }

    /// Judges the fragments of a URL, once its redirects are known to their end.
    pub(in crate::crawl) fn judge(&mut self, board: &mut Board, id: UrlId) {
        let Some(judged) = board.entry(id).judged() else { return };
        if !matches!(judged.verdict, Verdict::Sound | Verdict::Moved) {
            return;
        }
        let mut at = id;
        while let Some(Judged { next: Some(next), .. }) = board.entry(at).judged() {
            if board.entry(at).redirect.own_fragment {
                return;
            }
            at = next;
        }
        for (fragment, fault) in self.poll_missing(id, judged.last) {
            if fault == FragmentFault::Missing {
                board.urls.count_broken_link();
            }
            board.report(Event::NoAnchor { id, fragment, fault });
        }
    }

    /// A page was read to its end: judges the fragments of the URLs that lead there.
    pub(in crate::crawl) fn judge_followers(&mut self, board: &mut Board, page: UrlId) {
        let mut ends_here = vec![page];
        while let Some(at) = ends_here.pop() {
            self.judge(board, at);
            ends_here.extend(board.urls.followers_of(at));
        }
    }

    /// Judges the fragments of a URL whose redirects end at `page`, unless they were judged
    /// before. Returns those without an anchor there.
    fn poll_missing(&mut self, url: UrlId, page: UrlId) -> Vec<(String, FragmentFault)> {
        let (Some(anchors), Some(wanted)) = (self.pages.get(page), self.wanted.get_mut(&url))
        else {
            return Vec::new();
        };
        let mut missing = Vec::new();
        for (fragment, wanted) in wanted.iter_mut().filter(|(_, wanted)| !wanted.judged) {
            wanted.judged = true;
            match find(anchors, fragment) {
                FragmentMatch::Present => {}
                FragmentMatch::Missing if wanted.by_script => {
                    missing.push((fragment.clone(), FragmentFault::ForScript))
                }
                FragmentMatch::Missing => missing.push((fragment.clone(), FragmentFault::Missing)),
                FragmentMatch::ForScript => {
                    missing.push((fragment.clone(), FragmentFault::ForScript))
                }
            }
        }
        missing
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fragment_is_judged_anew_when_a_plain_link_names_it_after_a_scripted_one() {
        let mut index = FragmentIndex::default();
        let url = UrlId::from_index(3);
        assert!(index.handle_wanted(url, "tab", true), "it is new");
        assert!(!index.handle_wanted(url, "tab", true));
        assert!(index.handle_wanted(url, "tab", false), "a script no longer excuses it");
        assert!(!index.handle_wanted(url, "tab", false));
        assert!(!index.handle_wanted(url, "tab", true), "the plain link still counts");
        assert!(index.handle_wanted(url, "other", false));
        assert!(index.handle_wanted(UrlId::from_index(4), "tab", false));
    }
}
