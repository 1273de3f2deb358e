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
    /// A bit for each link that has none on any page.
    faultless: RefCell<Vec<u64>>,
}

/// How many of them are kept.
const KEPT: usize = 200_000;

impl OwnVerdicts {
    pub(crate) fn is_faultless(&self, content: u32) -> bool {
        let word = self.faultless.borrow().get(content as usize / 64).copied();
        word.is_some_and(|word| word >> (content % 64) & 1 == 1)
    }

    /// This link, which the store has, is faultless on any page.
    pub(crate) fn set_faultless(&self, content: u32) {
        let mut faultless = self.faultless.borrow_mut();
        let at = content as usize / 64;
        if faultless.len() <= at {
            faultless.resize(at + 1, 0);
        }
        faultless[at] |= 1 << (content % 64);
    }

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
