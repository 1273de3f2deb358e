//! Pages without links because JavaScript renders them.

use std::collections::HashMap;

use crate::crawl::board::Board;
use crate::crawl::messages::{Note, UrlId};
use crate::extract::reading::{Link, Reading};

/// Pages whose links are rendered by JavaScript, so that they were not found.
#[derive(Debug, Default)]
pub(super) struct SpaShells {
    /// Hashes of pages without links and with scripts, with the first page of each.
    shells: HashMap<u128, UrlId>,
    found: bool,
}

impl SpaShells {
    /// Whether there is such a page, so that not all links were found.
    pub(super) fn is_any(&self) -> bool {
        self.found
    }

    /// A page without links and with scripts may be rendered by them: the start page is, and so
    /// are pages with equal text.
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
