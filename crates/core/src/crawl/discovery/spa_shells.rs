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

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use std::time::Duration;

    use url::Url;

    use super::*;
    use crate::crawl::messages::Event;
    use crate::crawl::requests::Requests;
    use crate::crawl::settings::Settings;
    use crate::extract::{Extractor, Format};

    #[test]
    fn a_page_that_is_parsed_twice_does_not_resemble_itself() {
        let requests = Requests::new(1, Duration::from_secs(1));
        let mut board = Board::new(Settings::default(), requests);
        let mut page = |path: &str| {
            board.intern(&Url::parse("http://a.test/").unwrap().join(path).unwrap(), 0, 0)
        };
        let (one, two) = (page("/one"), page("/two"));
        let mut extractor = Extractor::new(Format::Html, None, 1000);
        extractor.feed(b"<div id=app></div><script src=/app.js></script>");
        let reading = extractor.finish();
        let mut shells = SpaShells::default();
        shells.handle_page(&mut board, one, &reading);
        shells.handle_page(&mut board, one, &reading);
        assert!(!shells.is_any());
        shells.handle_page(&mut board, two, &reading);
        assert!(shells.is_any());
        let mut noted = Vec::new();
        while let Some(event) = board.poll_event() {
            if let Event::Noted { id, note: Note::RenderedByScript } = event {
                noted.push(id);
            }
        }
        assert_eq!(noted, [one, two]);
    }
}
