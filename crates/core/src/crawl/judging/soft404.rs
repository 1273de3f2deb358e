//! What follows from a server's responses to nonexistent test URLs.

use super::Judging;
use super::soft404_probe::Probe;
use crate::crawl::board::Board;
use crate::crawl::discovery::Discovery;
use crate::crawl::messages::{Judged, UrlId};
use crate::crawl::shared::SharedState;
use crate::crawl::urls::Roles;
use crate::url::scope::Scope;

/// How many test URLs are made for an internal and for an external server.
const OWN_MOST: u32 = 30;
const OTHER_MOST: u32 = 4;

impl Judging {
    /// A page responded well, with a text of this likeness.
    pub(super) fn compare_with_missing(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        likeness: u64,
    ) {
        self.soft404.handle_likeness(id, likeness);
        let entry = shared.board.entry(id);
        let internal = entry.scope == Scope::Internal;
        let is_list = shared.board.settings.lists && internal;
        let is_page = entry.roles.visit() && !is_list;
        let Some(server) = entry.server.filter(|_| is_page) else { return };
        let url = shared.board.urls.parsed(id);
        // A root cannot be compared with anything.
        if url.path() == "/" && url.query().is_none() {
            return;
        }
        let most = if internal { OWN_MOST } else { OTHER_MOST };
        match self.soft404.handle_page(id, &url, server, most) {
            None => {}
            Some(Probe::Known(group)) => self.judge_alike(shared, discovery, group),
            Some(Probe::New(shape, url)) => {
                let probe = shared.board.intern(&url, u32::MAX, 0);
                self.soft404.add(shape, probe, id);
                discovery.use_url(shared, probe, Roles::PROBE, u32::MAX);
                if let Some(judged) = shared.board.entry(probe).judged() {
                    self.handle_missing_judged(shared, discovery, probe, &judged);
                }
            }
        }
    }

    /// A URL has its verdict: if it is a test URL, or the home page of one's server, something
    /// may follow.
    pub(super) fn handle_missing_judged(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        judged: &Judged,
    ) {
        if let Some((group, says_something)) = self.soft404.handle_probe(id, judged) {
            if says_something && let Some(home) = shared.board.urls.home_of(id) {
                let home = shared.board.intern(&home, u32::MAX, 0);
                discovery.use_url(shared, home, Roles::VISIT, u32::MAX);
            }
            return self.judge_alike(shared, discovery, group);
        }
        let board = &shared.board;
        if self.soft404.knows(id) && board.urls.text(id).ends_with('/') {
            for (group, probe) in self.soft404.groups_with_pages() {
                if home_of(&shared.board, probe) == Some(id) {
                    self.judge_alike(shared, discovery, group);
                }
            }
        }
    }

    /// Pages with the same text as the response to the test URL are missing, unless the home page
    /// has it too.
    fn judge_alike(&mut self, shared: &mut SharedState, discovery: &mut Discovery, group: usize) {
        let board = &shared.board;
        let Some(home) = home_of(board, self.soft404.probe(group)) else { return };
        let home = board.entry(home).judged().map_or(home, |judged| judged.last);
        if board.entry(home).judged().is_none() {
            return;
        }
        for (id, now) in self.soft404.missing(group, home) {
            let entry = shared.board.entry_mut(id);
            if std::mem::replace(&mut entry.like_missing, now) != now {
                self.judge_again(shared, discovery, id);
            }
        }
    }
}

/// The home page of a URL's server, if it has been discovered.
fn home_of(board: &Board, id: UrlId) -> Option<UrlId> {
    board.urls.find(board.urls.home_of(id)?.as_str())
}
