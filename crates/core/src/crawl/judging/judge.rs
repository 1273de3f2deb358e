//! From what is known of a URL to what is said of it. Nothing here changes anything.

use url::Url;

use crate::crawl::board::Board;
use crate::crawl::messages::{Judged, UrlId};
use crate::evidence::landing::sent;
use crate::evidence::{Answer, Ending};
use crate::url::network::is_loopback;
use crate::verdict::{Asked, Cause, Clues, Judgement, Verdict, Way, judge};

/// What is said of an outcome that was seen at this URL.
pub(super) fn judge_at(
    board: &Board,
    id: UrlId,
    ending: &Ending,
    way: Way,
    clues: Clues,
) -> Judgement {
    let (address, scope) = (board.urls.text(id), board.entry(id).scope);
    judge(&Asked { address, ending, way, scope, clues })
}

/// What is known of a URL beside its response.
pub(super) fn clues(board: &Board, id: UrlId) -> Clues {
    let text = board.urls.text(id);
    let near = || Url::parse(text).is_ok_and(|url| is_loopback(&url));
    Clues {
        like_made_up: board.entry(id).like_missing,
        proxied: board.settings.proxied && !near(),
        expected: board.settings.expects(text),
        ..Clues::default()
    }
}

/// A verdict on a URL that leads to no other.
pub(super) fn judged(id: UrlId, judgement: Judgement, status: Option<u16>) -> Judged {
    let Judgement { verdict, cause } = judgement;
    Judged { linked: false, ..Judged::without_hops(id, verdict, cause, status) }
}

/// The verdict of a URL that redirects to one with a verdict.
pub(super) fn by_way_of(board: &Board, id: UrlId, next: UrlId, settled: &Judged) -> Judged {
    let permanent = board.entry(id).redirect.permanent;
    let mut judged = Judged { next: Some(next), hops: settled.hops + 1, ..*settled };
    judged.moved_to = None;
    if judged.hops > board.settings.hops {
        let judgement = Judgement::broken(Cause::RedirectLimit);
        (judged.verdict, judged.cause) = (judgement.verdict, judgement.cause);
    } else if let Some(elsewhere) = landed_elsewhere(board, id, settled) {
        (judged.verdict, judged.cause) = (elsewhere.verdict, elsewhere.cause);
    } else if matches!(settled.verdict, Verdict::Sound | Verdict::Moved) {
        (judged.verdict, judged.cause) = if permanent {
            judged.moved_to = settled.moved_to.or(Some(next));
            (Verdict::Moved, Some(Cause::MovedPermanently))
        } else {
            (Verdict::Sound, Some(Cause::Redirected))
        };
    }
    judged
}

/// What is said where redirects end well, and not where the link wanted to go.
fn landed_elsewhere(board: &Board, id: UrlId, settled: &Judged) -> Option<Judgement> {
    let roles = board.entry(id).roles;
    if !matches!(settled.verdict, Verdict::Sound | Verdict::Moved) || !roles.visit() {
        return None;
    }
    let from = Url::parse(board.urls.text(id)).ok()?;
    let to = Url::parse(board.urls.text(settled.last)).ok()?;
    let sent = Some(sent(&from, &to, roles.says_home(), roles.says_login())?);
    let ending = Ending::Answer(Answer { status: settled.status?, ..Answer::default() });
    let clues = Clues { sent, ..Clues::default() };
    Some(judge_at(board, settled.last, &ending, Way::Temporary, clues))
}
