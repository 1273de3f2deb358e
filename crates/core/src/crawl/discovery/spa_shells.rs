//! Pages that lead nowhere because scripts render their links.

use std::collections::HashMap;

use crate::crawl::board::Board;
use crate::crawl::messages::{Note, UrlId};
use crate::extract::reading::{Link, Reading};

/// Pages whose links are rendered by JavaScript, so that they were not seen.
#[derive(Debug, Default)]
pub(super) struct SpaShells {
    /// Readings of pages that lead nowhere and have scripts, with the first page that was
    /// like that.
    shells: HashMap<u128, UrlId>,
    found: bool,
}

impl SpaShells {
    /// Whether there is such a page: not all links were seen.
    pub(super) fn is_any(&self) -> bool {
        self.found
    }

    /// A page that leads nowhere and has scripts may be rendered by them: the start is, and so
    /// are pages that are all the same.
    pub(super) fn handle_page(&mut self, board: &mut Board, page: UrlId, reading: &Reading) {
        let leads_on = |link: Link<'_>| link.element.leads_on(link.attribute, link.rel);
        if !reading.scripted || reading.links().any(leads_on) {
            return;
        }
        if board.urls.start() == Some(page) {
            self.found = true;
            board.note(page, Note::RenderedByScript);
        }
        let hash = reading.hash();
        match self.shells.get(&hash) {
            None => {
                self.shells.insert(hash, page);
            }
            Some(&first) if first != page => {
                self.found = true;
                board.note(first, Note::RenderedByScript);
                board.note(page, Note::RenderedByScript);
            }
            Some(_) => {}
        }
    }
}
