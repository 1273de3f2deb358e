//! Which pages are parsed when --max-pages limits them: the first by rank.
//!
//! Responses arrive in any order, but pages are admitted in the order of their rank: a page's
//! links are looked at when its turn comes, that is when all pages before it have been parsed or
//! have failed once. So the same site gives the same pages, whatever arrived first.

use std::collections::{HashMap, HashSet};

use crate::crawl::messages::UrlId;

#[derive(Debug)]
pub(in crate::crawl) struct Admission {
    most: u32,
    /// Every page whose rank is known, by rank.
    ranked: Vec<UrlId>,
    known: HashSet<UrlId>,
    /// The first of `ranked` that was not admitted yet.
    next: usize,
    /// Admitted pages that were parsed or still may be.
    admitted: HashSet<UrlId>,
    /// How many these are.
    taken: u32,
    /// The first of `ranked` whose links were not looked at.
    turn: usize,
    /// The pages before it.
    passed: HashSet<UrlId>,
    /// Pages of sitemaps, which come after everything that the start leads to.
    listed: Vec<UrlId>,
    /// Finished pages with the pages that they lead to, until their turn comes.
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

    /// The start takes the first place and is always requested.
    pub(in crate::crawl) fn handle_start(&mut self, start: UrlId) {
        self.known.insert(start);
        self.ranked.push(start);
        self.admitted.insert(start);
        self.taken = 1;
    }

    /// A page was parsed, and leads to these pages.
    pub(in crate::crawl) fn handle_read(
        &mut self,
        page: UrlId,
        leads_to: Vec<UrlId>,
    ) -> Vec<UrlId> {
        self.end(page, leads_to);
        self.go_on()
    }

    /// A sitemap was parsed, and names these pages.
    pub(in crate::crawl) fn handle_list(&mut self, pages: Vec<UrlId>) -> Vec<UrlId> {
        self.listed.extend(pages);
        self.go_on()
    }

    /// A URL turned out not to be a page, or redirects to these.
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

    /// A page failed and will be retried: the others do not wait for it.
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

    /// Returns the pages that are admitted now.
    fn go_on(&mut self) -> Vec<UrlId> {
        loop {
            while let Some(&page) = self.ranked.get(self.turn) {
                let Some(leads_to) = self.ended.remove(&page) else { break };
                self.turn += 1;
                self.passed.insert(page);
                self.rank(leads_to);
            }
            // Everything that the start leads to has been looked at: now the sitemaps.
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
    fn pages_are_admitted_by_rank_in_any_order_of_responses() {
        let mut admission = Admission::new(4);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2])), ids(&[1, 2]));
        assert_eq!(admission.handle_read(id(2), ids(&[7, 8])), []);
        assert_eq!(admission.handle_read(id(1), ids(&[5, 2, 6])), ids(&[5]));
    }

    #[test]
    fn a_url_that_is_not_a_page_makes_room_for_the_next() {
        let mut admission = Admission::new(2);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2, 3])), ids(&[1]));
        assert_eq!(admission.handle_no_page(id(1), ids(&[9])), ids(&[2]));
    }

    #[test]
    fn pages_of_sitemaps_come_last() {
        let mut admission = Admission::new(4);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_list(ids(&[8, 1, 9])), []);
        assert_eq!(admission.handle_read(id(0), ids(&[1])), ids(&[1]));
        assert_eq!(admission.handle_read(id(1), ids(&[2])), ids(&[2]));
        assert_eq!(admission.handle_read(id(2), ids(&[])), ids(&[8]));
        assert_eq!(admission.handle_read(id(8), ids(&[3])), []);
    }

    #[test]
    fn a_page_that_times_out_does_not_block_others() {
        let mut admission = Admission::new(9);
        admission.handle_start(id(0));
        assert_eq!(admission.handle_read(id(0), ids(&[1, 2])), ids(&[1, 2]));
        assert_eq!(admission.handle_read(id(2), ids(&[3])), []);
        assert_eq!(admission.handle_delayed(id(1)), ids(&[3]));
        assert_eq!(admission.handle_read(id(1), ids(&[4])), ids(&[4]));
    }
}
