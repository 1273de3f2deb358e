//! HTML pages where an image, stylesheet or script is expected.

use crate::crawl::board::Board;
use crate::crawl::messages::{Event, UrlId};
use crate::crawl::requests::side_requests::Reason;
use crate::crawl::urls::TypeCheck;
use crate::evidence::AttemptOutcome;
use crate::verdict::Cause;

/// A URL is a page. If another type is expected, it is requested as that.
pub(in crate::crawl) fn watch(board: &mut Board, id: UrlId) {
    let entry = board.entry(id);
    let Some(kind) = entry.roles.wanted().filter(|_| entry.last.html) else { return };
    let requested_so = entry.last.kind == kind;
    match entry.type_check {
        TypeCheck::Wrong => note(board, id),
        TypeCheck::None if requested_so => note(board, id),
        TypeCheck::None => {
            board.entry_mut(id).type_check = TypeCheck::Requested;
            board.enqueue_side(id, Reason::Type(kind), None);
        }
        TypeCheck::Requested => {}
    }
}

/// It was requested as another type than a page.
pub(in crate::crawl) fn handle_checked(board: &mut Board, id: UrlId, outcome: &AttemptOutcome) {
    if let AttemptOutcome::Response(answer) = outcome
        && answer.is_success()
        && answer.is_html()
    {
        note(board, id);
    }
}

/// It is a page whatever is requested: reports that for links that expect another type, and for
/// those that lead here by redirects.
pub(in crate::crawl) fn note(board: &mut Board, id: UrlId) {
    let mut wrong = vec![id];
    while let Some(id) = wrong.pop() {
        board.entry_mut(id).type_check = TypeCheck::Wrong;
        if board.entry(id).roles.wants_directly() {
            let cause = Cause::WrongType;
            let written = String::new();
            board.report(Event::LinkFault { target: id, page: id, cause, written });
        }
        wrong.extend(board.urls.followers_of(id));
    }
}
