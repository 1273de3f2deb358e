//! Which pages are read when only so many may be: the first by rank.
//!
//! Pages answer in any order, but are admitted in the order of their rank: a
//! page's links are looked at when its turn comes, that is when all pages before
//! it have been read or have failed once. So the same site gives the same pages,
//! whatever answered first.

use std::collections::{HashMap, HashSet};

use crate::crawl::messages::UrlId;

#[derive(Debug)]
pub(in crate::crawl) struct Admission {
    most: u32,
    /// Every page whose turn to be known has come, by rank.
    ranked: Vec<UrlId>,
    known: HashSet<UrlId>,
    /// The first of `ranked` that was not admitted to be asked.
    next: usize,
    /// Those that were, and were read or may yet be.
    admitted: HashSet<UrlId>,
    /// How many these are.
    taken: u32,
    /// The first of `ranked` whose links were not looked at.
    turn: usize,
    /// Those before it.
    passed: HashSet<UrlId>,
    /// Pages of sitemaps, which come after all that the start leads to.
    listed: Vec<UrlId>,
    /// Ended pages with the pages that they lead to, until their turn comes.
    ended: HashMap<UrlId, Vec<UrlId>>,
}

impl Admission {
    pub(in crate::crawl) fn new(most: u32) -> Admission {
        Admission {
            most,
            ranked: Vec::new(),
            known: HashSet::new(),
            next: 0,
            admitted: HashSet::new(),
            taken: 0,
            turn: 0,
            passed: HashSet::new(),
            listed: Vec::new(),
            ended: HashMap::new(),
        }
    }

    /// The start takes the first place and is asked in any case.
    pub(in crate::crawl) fn handle_start(&mut self, start: UrlId) {
        self.known.insert(start);
        self.ranked.push(start);
        self.admitted.insert(start);
        self.taken = 1;
    }

    /// A page was read, and leads to these pages.
    pub(in crate::crawl) fn handle_read(
        &mut self,
        page: UrlId,
        leads_to: Vec<UrlId>,
    ) -> Vec<UrlId> {
        self.end(page, leads_to);
        self.go_on()
    }

    /// A sitemap was read, and names these pages.
    pub(in crate::crawl) fn handle_list(&mut self, pages: Vec<UrlId>) -> Vec<UrlId> {
        self.listed.extend(pages);
        self.go_on()
    }

    /// An address turned out to be no page, or sends on to these.
    pub(in crate::crawl) fn handle_no_page(
        &mut self,
        page: UrlId,
        leads_to: Vec<UrlId>,
    ) -> Vec<UrlId> {
        if self.admitted.remove(&page) {
            self.taken -= 1;
        }
        self.end(page, leads_to);
        self.go_on()
    }

    /// A page did not answer and will be asked again: the others do not wait for it.
    pub(in crate::crawl) fn handle_delayed(&mut self, page: UrlId) -> Vec<UrlId> {
        self.end(page, Vec::new());
        self.go_on()
    }

    fn end(&mut self, page: UrlId, leads_to: Vec<UrlId>) {
        if self.passed.contains(&page) {
            self.rank(leads_to);
        } else {
            self.ended.entry(page).or_default().extend(leads_to);
        }
    }

    /// Gives the pages that are admitted now.
    fn go_on(&mut self) -> Vec<UrlId> {
        loop {
            while let Some(&page) = self.ranked.get(self.turn) {
                let Some(leads_to) = self.ended.remove(&page) else { break };
                self.turn += 1;
                self.passed.insert(page);
                self.rank(leads_to);
            }
            // All that the start leads to has been looked at: now the sitemaps.
            if self.turn < self.ranked.len() || self.turn == 0 || self.listed.is_empty() {
                break;
            }
            let listed = std::mem::take(&mut self.listed);
            self.rank(listed);
        }
        let mut admitted = Vec::new();
        while self.taken < self.most
            && let Some(&page) = self.ranked.get(self.next)
        {
            self.next += 1;
            // The start is in already.
            if self.admitted.insert(page) {
                self.taken += 1;
                admitted.push(page);
            }
        }
        admitted
    }

    fn rank(&mut self, pages: Vec<UrlId>) {
        for page in pages {
            if self.known.insert(page) {
                self.ranked.push(page);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ids(numbers: &[usize]) -> Vec<UrlId> {
        numbers.iter().map(|&n| UrlId::from_index(n)).collect()
    }

    fn id(number: usize) -> UrlId {
        UrlId::from_index(number)
    }

    #[test]
    fn pages_are_admitted_by_rank_whatever_answers_first() {
        let mut admission = Admission::new(4);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2])), ids(&[1, 2]));
        assert_eq!(admission.handle_read(id(2), ids(&[7, 8])), []);
        assert_eq!(admission.handle_read(id(1), ids(&[5, 2, 6])), ids(&[5]));
    }

    #[test]
    fn what_is_no_page_gives_its_place_to_the_next() {
        let mut admission = Admission::new(2);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2, 3])), ids(&[1]));
        assert_eq!(admission.handle_no_page(id(1), ids(&[9])), ids(&[2]));
    }

    #[test]
    fn pages_of_sitemaps_come_after_all_that_the_start_leads_to() {
        let mut admission = Admission::new(4);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_list(ids(&[8, 1, 9])), []);
        assert_eq!(admission.handle_read(id(0), ids(&[1])), ids(&[1]));
        assert_eq!(admission.handle_read(id(1), ids(&[2])), ids(&[2]));
        assert_eq!(admission.handle_read(id(2), ids(&[])), ids(&[8]));
        assert_eq!(admission.handle_read(id(8), ids(&[3])), []);
    }

    #[test]
    fn a_page_that_hangs_holds_nobody_up() {
        let mut admission = Admission::new(9);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2])), ids(&[1, 2]));
        assert_eq!(admission.handle_read(id(2), ids(&[3])), []);
        assert_eq!(admission.handle_delayed(id(1)), ids(&[3]));
        assert_eq!(admission.handle_read(id(1), ids(&[4])), ids(&[4]));
    }
}
