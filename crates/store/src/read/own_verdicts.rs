//! What is wrong with links apart from their URLs, as far as it is the same on many pages.

use std::cell::RefCell;

use rummage_core::crawl::FragmentFault;
use rummage_core::url::hashed::Numbered;
use rummage_core::verdict::Judgement;

/// What is wrong with a link apart from its URL.
#[derive(Debug, Clone, Copy)]
pub(crate) struct OwnVerdict {
    /// Its verdict, if it is worse than that on its URL.
    pub(crate) verdict: Option<Judgement>,
    pub(crate) fragment_fault: Option<FragmentFault>,
}

/// Verdicts on links that are the same on all pages that are public, or on all others, by the
/// number of the link's contents: those of menus are needed again and again.
#[derive(Debug, Default)]
pub(crate) struct OwnVerdicts {
    public: RefCell<Numbered<OwnVerdict>>,
    others: RefCell<Numbered<OwnVerdict>>,
}

/// How many of them are kept.
const KEPT: usize = 200_000;

impl OwnVerdicts {
    fn of(&self, is_public: bool) -> &RefCell<Numbered<OwnVerdict>> {
        if is_public { &self.public } else { &self.others }
    }

    pub(crate) fn get(&self, content: u32, is_public: bool) -> Option<OwnVerdict> {
        self.of(is_public).borrow().get(&content).copied()
    }

    pub(crate) fn keep(&self, content: u32, is_public: bool, own: OwnVerdict) {
        let mut known = self.of(is_public).borrow_mut();
        if known.len() >= KEPT {
            known.clear();
        }
        known.insert(content, own);
    }
}
