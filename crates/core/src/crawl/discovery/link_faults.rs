//! Faults of links apart from their URLs.

use crate::crawl::board::Board;
use crate::crawl::messages::{Event, Target, UrlId};
use crate::extract::reading::Link;
use crate::verdict::{Cause, Judgement, LinkContext, Verdict, is_leftover, of_link};

/// Whether a link may have a fault apart from its URL, except that it is not secure. Nearly all
/// links have none: a short reference may name no page, and one with a colon may lead anywhere.
pub(super) fn may_have_fault(written: &str, is_known: bool) -> bool {
    written.trim_ascii().len() <= 1
        || memchr::memchr(b':', written.as_bytes()).is_some()
        || (!is_known && is_leftover(written))
}

/// The fault of a link apart from its URL.
pub(super) fn fault_of(
    board: &Board,
    page: UrlId,
    target: &Target,
    link: &Link<'_>,
    title: Option<&str>,
) -> Option<Judgement> {
    of_link(&LinkContext {
        page: board.urls.text(page),
        target: board.urls.text(target.id),
        scope: Some(board.entry(target.id).scope),
        element: link.element,
        attribute: link.attribute,
        rel: link.rel,
        written: link.written,
        text: link.text,
        title,
        scripted: link.scripted,
        verdict: Verdict::Sound,
        lacks_anchor: false,
        is_page: false,
        // Whether that is broken or doubtful is decided on output.
        placeholders_are_broken: false,
    })
}

/// Reports the fault of a link apart from its URL, if it has one.
pub(super) fn watch_link(
    board: &mut Board,
    page: UrlId,
    target: &Target,
    link: &Link<'_>,
    title: Option<&str>,
) {
    let fault = fault_of(board, page, target, link, title);
    if let Some(Judgement { verdict, cause: Some(cause) }) = fault {
        // Placeholders are identified by their source text, all others by their target.
        let is_placeholder = cause == Cause::Placeholder;
        let written = if is_placeholder { link.written.trim().to_owned() } else { String::new() };
        let event = Event::LinkFault { target: target.id, page, cause, written };
        // A menu may have the same placeholder many times.
        if board.last_event() != Some(&event) {
            if verdict == Verdict::Broken {
                board.urls.count_broken_link();
            }
            board.report(event);
        }
    }
}
