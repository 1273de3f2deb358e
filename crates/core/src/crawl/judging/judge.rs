//! From evidence about a URL to a verdict. Nothing here changes any state.

use url::Url;

use crate::crawl::board::Board;
use crate::crawl::messages::{Judged, UrlId};
use crate::evidence::landing::sent;
use crate::evidence::{AttemptOutcome, ResponseHead};
use crate::url::network::is_loopback;
use crate::verdict::{Cause, JudgeContext, Judgement, Route, UrlEvidence, Verdict, judge};

/// The judgement of an outcome at this URL.
pub(super) fn judge_at(
    board: &Board,
    id: UrlId,
    outcome: &AttemptOutcome,
    route: Route,
    context: JudgeContext,
) -> Judgement {
    let (url, scope) = (board.urls.text(id), board.entry(id).scope);
    judge(&UrlEvidence { url, outcome, route, scope, context })
}

/// What is known about a URL apart from its response.
pub(super) fn context(board: &Board, id: UrlId) -> JudgeContext {
    let text = board.urls.text(id);
    let near = || Url::parse(text).is_ok_and(|url| is_loopback(&url));
    JudgeContext {
        like_missing_page: board.entry(id).like_missing,
        by_chance: board.entry(id).attempts.by_chance,
        proxied: board.settings.proxied && !near(),
        expected: board.settings.expects(text),
        ..JudgeContext::default()
    }
}

/// The verdict on a URL that does not redirect.
pub(super) fn judged(id: UrlId, judgement: Judgement, status: Option<u16>) -> Judged {
    let Judgement { verdict, cause } = judgement;
    Judged { linked: false, ..Judged::without_hops(id, verdict, cause, status) }
}

/// The verdict on a URL that redirects to one with a verdict.
pub(super) fn by_route(board: &Board, id: UrlId, next: UrlId, settled: &Judged) -> Judged {
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

/// The judgement if redirects end well, but not where the link meant to go.
fn landed_elsewhere(board: &Board, id: UrlId, settled: &Judged) -> Option<Judgement> {
    let roles = board.entry(id).roles;
    if !matches!(settled.verdict, Verdict::Sound | Verdict::Moved) || !roles.visit() {
        return None;
    }
    let from = Url::parse(board.urls.text(id)).ok()?;
    let to = Url::parse(board.urls.text(settled.last)).ok()?;
    let landing = Some(sent(&from, &to, roles.says_home(), roles.says_login())?);
    let outcome = AttemptOutcome::Response(ResponseHead {
        status: settled.status?,
        ..ResponseHead::default()
    });
    let context = JudgeContext { landing, ..JudgeContext::default() };
    Some(judge_at(board, settled.last, &outcome, Route::Temporary, context))
}
