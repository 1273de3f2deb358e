//! The outcome of the start URL.

use super::Judging;
use crate::crawl::discovery::Discovery;
use crate::crawl::messages::{StartProblem, UrlId};
use crate::crawl::shared::SharedState;
use crate::evidence::{AttemptOutcome, ResponseHead};
use crate::extract::reading::Reading;

impl Judging {
    /// The start URL that is being tried has responded.
    pub(super) fn handle_start_outcome(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        reading: Option<Reading>,
    ) {
        let url = shared.board.urls.text(id).to_owned();
        let problem = match outcome {
            AttemptOutcome::Response(answer) if answer.is_redirect() => {
                return self.handle_start_redirect(shared, discovery, id, answer);
            }
            AttemptOutcome::Response(answer) if answer.is_success() => {
                let is_list = shared.board.settings.lists && reading.is_some();
                if answer.is_html() || is_list {
                    return discovery.handle_start_reached(shared, id, outcome, reading);
                }
                StartProblem::NotHtml { url, media_type: answer.media_type.clone() }
            }
            _ => StartProblem::NoPage { url, outcome: outcome.clone() },
        };
        discovery.handle_start_failed(&mut shared.board, problem);
    }

    fn handle_start_redirect(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        answer: &ResponseHead,
    ) {
        let board = &mut shared.board;
        board.entry_mut(id).redirect.sets_cookie = !answer.cookies.is_empty();
        let next = super::redirects::location(board, id, answer);
        let may_go_on = board.entry(id).chain < board.settings.hops;
        match next {
            Some((next, own_fragment)) if may_go_on && !board.urls.leads_back(id, next) => {
                discovery.handle_start_hop(next);
                self.follow(shared, discovery, id, answer, next, own_fragment);
            }
            Some((next, _)) if self.may_cookies_end_loop(board, id, next) => {
                self.begin_chain(board, id);
            }
            _ => {
                let url = board.urls.text(id).to_owned();
                discovery.handle_start_failed(board, StartProblem::Redirects { url });
            }
        }
    }
}
