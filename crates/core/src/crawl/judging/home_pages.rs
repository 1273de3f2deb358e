//! Requests for the home pages of servers that respond 404, and what follows from the responses.

use url::Url;

use super::Judging;
use super::all_missing::{NOT_FOUND, Next, Step};
use super::confirmation::matters;
use super::judge::context;
use super::soft404_probe::nonexistent_sibling;
use crate::crawl::board::Board;
use crate::crawl::discovery::Discovery;
use crate::crawl::messages::{Judged, ServerId, UrlId};
use crate::crawl::shared::SharedState;
use crate::crawl::urls::{Confirmation, Phase, Roles};
use crate::evidence::{AttemptOutcome, ResponseHead};
use crate::verdict::JudgeContext;

impl Judging {
    /// A server responded well to a request for a verdict.
    pub(super) fn handle_serving(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        server: ServerId,
    ) {
        for id in self.all_missing.handle_well(server) {
            self.finalize_missing(shared, discovery, id, false);
        }
    }

    /// This outcome of a URL is final. Returns whether it is 404, as everything of its server is.
    pub(super) fn is_all_missing(
        &mut self,
        board: &Board,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) -> bool {
        let entry = board.entry(id);
        let counts = outcome.status() == Some(NOT_FOUND)
            && matters(entry)
            && !entry.roles.only_form()
            && board.settings.expects(board.urls.text(id)).is_none();
        let server = entry.server.filter(|_| counts);
        server.is_some_and(|server| self.all_missing.handle_missing(server, id))
    }

    /// Requests the home pages in question, once nothing else is left to do. Returns whether there
    /// were any.
    pub(in crate::crawl) fn request_home_pages(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
    ) -> bool {
        if !self.all_missing.has_waiting() || !shared.board.is_idle() {
            return false;
        }
        for (server, missing) in self.all_missing.take_waiting() {
            self.request_home_page(shared, discovery, server, missing);
        }
        true
    }

    /// A response is about to be replayed: if it is that of a home page in question, it had been
    /// requested.
    pub(in crate::crawl) fn expect_home_page(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        url: &str,
    ) {
        let home_of = |id| shared.board.urls.home_of(id);
        let is_it = |id| home_of(id).is_some_and(|home| home.as_str() == url);
        if let Some((server, missing)) = self.all_missing.take_one(is_it) {
            self.request_home_page(shared, discovery, server, missing);
        }
    }

    /// A URL has its verdict: if it is a home page or test URL of such a server, more follows.
    pub(super) fn handle_step_judged(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        judged: &Judged,
    ) {
        match self.all_missing.handle_judged(id, judged.status) {
            Next::Nothing => {}
            Next::TestUrl(server, like) => {
                let url = nonexistent_sibling(shared.board.urls.text(like));
                if let Some(url) = url.and_then(|url| Url::parse(&url).ok()) {
                    self.request_step(shared, discovery, server, Step::TestUrl, &url);
                }
            }
            Next::AllMissing(urls) => {
                for id in urls {
                    self.finalize_missing(shared, discovery, id, true);
                }
            }
        }
    }

    fn request_home_page(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        server: ServerId,
        missing: UrlId,
    ) {
        if let Some(home) = shared.board.urls.home_of(missing) {
            self.request_step(shared, discovery, server, Step::HomePage, &home);
        }
    }

    fn request_step(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        server: ServerId,
        step: Step,
        url: &Url,
    ) {
        let id = shared.board.intern(url, u32::MAX, 0);
        let entry = shared.board.entry(id);
        let is_new = matches!(entry.phase(), Phase::Unrequested(_));
        if is_new && entry.is_linked() {
            // It is not to be requested.
            return;
        }
        self.all_missing.handle_requested(id, server, step);
        let roles = match step {
            Step::HomePage => Roles::VISIT,
            Step::TestUrl => Roles::PROBE,
        };
        discovery.use_url(shared, id, roles, u32::MAX);
        if is_new {
            // One response is enough: it only adds to what others say.
            shared.board.entry_mut(id).attempts.confirmation = Confirmation::Done;
        }
        if let Some(judged) = shared.board.entry(id).judged() {
            self.handle_step_judged(shared, discovery, id, &judged);
        }
    }

    /// Gives a missing URL its verdict anew.
    fn finalize_missing(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        all_missing: bool,
    ) {
        let is_missing = |judged: Judged| judged.next.is_none() && judged.status == Some(NOT_FOUND);
        if !shared.board.entry(id).judged().is_some_and(is_missing) {
            return;
        }
        let head = ResponseHead { status: NOT_FOUND, ..ResponseHead::default() };
        let context = JudgeContext { all_missing, ..context(&shared.board, id) };
        self.finalize_outcome(shared, discovery, id, &AttemptOutcome::Response(head), context);
    }
}
