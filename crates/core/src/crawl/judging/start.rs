//! What comes of the first URL.

use super::Judging;
use crate::crawl::discovery::Discovery;
use crate::crawl::ground::Ground;
use crate::crawl::messages::{StartProblem, UrlId};
use crate::evidence::{Answer, Ending};
use crate::extract::reading::Reading;

impl Judging {
    /// The start that is tried has responded.
    pub(super) fn handle_start_outcome(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        ending: &Ending,
        reading: Option<Reading>,
    ) {
        let address = ground.board.urls.text(id).to_owned();
        let problem = match ending {
            Ending::Answer(answer) if answer.is_redirect() => {
                return self.handle_start_redirect(ground, discovery, id, answer);
            }
            Ending::Answer(answer) if answer.is_success() => {
                let is_list = ground.board.settings.lists && reading.is_some();
                if answer.is_html() || is_list {
                    return discovery.handle_start_reached(ground, id, ending, reading);
                }
                StartProblem::NotHtml { address, media_type: answer.media_type.clone() }
            }
            _ => StartProblem::NoPage { address, ending: ending.clone() },
        };
        discovery.handle_start_failed(&mut ground.board, problem);
    }

    fn handle_start_redirect(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        answer: &Answer,
    ) {
        let board = &mut ground.board;
        board.entry_mut(id).redirect.sets_cookie = !answer.cookies.is_empty();
        let next = super::redirects::location(board, id, answer);
        let may_go_on = board.entry(id).chain < board.settings.hops;
        match next {
            Some((next, own_fragment)) if may_go_on && !board.urls.leads_back(id, next) => {
                discovery.handle_start_hop(next);
                self.follow(ground, discovery, id, answer, next, own_fragment);
            }
            Some((next, _)) if self.may_cookies_end_loop(board, id, next) => {
                self.begin_chain(board, id);
            }
            _ => {
                let address = board.urls.text(id).to_owned();
                discovery.handle_start_failed(board, StartProblem::Redirects { address });
            }
        }
    }
}
