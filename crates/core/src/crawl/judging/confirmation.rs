//! Confirmation of missing URLs, when nothing else is left to do.

use std::collections::HashMap;

use crate::crawl::board::Board;
use crate::crawl::messages::{Event, Judged, ServerId, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::urls::{Confirmation, Entry, Phase};
use crate::evidence::{AttemptOutcome, DnsFailure, Failure};
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

/// How many missing URLs of one server are confirmed; the others follow from this sample.
const CONFIRMED_PER_SERVER: u32 = 50;

/// The URLs to confirm.
#[derive(Debug, Default)]
pub(super) struct Confirmations {
    waiting: Vec<UrlId>,
    /// How many of each server were queued for confirmation.
    counts: HashMap<ServerId, u32>,
}

impl Confirmations {
    /// A URL has this outcome. If it is about to be called missing, or was refused by the site's
    /// own server, it waits to be confirmed.
    pub(super) fn handle_outcome(
        &mut self,
        board: &mut Board,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) -> bool {
        let entry = board.entry(id);
        let Some(server) = entry.server else { return false };
        if entry.attempts.confirmation == Confirmation::Done
            || !may_be_missing(entry, outcome)
            || !matters(entry)
            || board.settings.retry.attempts < 2
        {
            return false;
        }
        let count = self.counts.entry(server).or_default();
        *count += 1;
        if *count > CONFIRMED_PER_SERVER {
            return false;
        }
        board.urls.set_phase(id, Phase::Unconfirmed);
        self.waiting.push(id);
        if board.entry(id).is_linked() {
            // Until then, it is known to be doubtful: the run may be stopped first.
            let cause = Some(Cause::Unconfirmed);
            let status = outcome.status();
            let judged = Judged::without_hops(id, Verdict::Doubtful, cause, status);
            board.report(Event::Judged { id, judged });
        }
        true
    }

    /// Queues the URLs to confirm, once nothing else is left to do. Returns whether there were
    /// any.
    pub(super) fn enqueue_all(&mut self, board: &mut Board) -> bool {
        let waiting = &mut self.waiting;
        if waiting.is_empty() || !board.requests.is_quiet(&board.urls) {
            return false;
        }
        let mut any = false;
        for id in std::mem::take(waiting) {
            // In a replay, the confirmation may have arrived already.
            if board.entry(id).phase() == Phase::Unconfirmed {
                let attempts = &mut board.entry_mut(id).attempts;
                (attempts.confirmation, attempts.count) = (Confirmation::UnderWay, 0);
                board.enqueue(id, Order::Later);
                any = true;
            }
        }
        any
    }
}

fn may_be_missing(entry: &Entry, outcome: &AttemptOutcome) -> bool {
    let own_host = entry.scope == Scope::Internal && !entry.roles.only_form();
    match outcome {
        AttemptOutcome::Response(answer) => {
            matches!(answer.status, 404 | 410) || (own_host && matches!(answer.status, 403 | 405))
        }
        AttemptOutcome::Failure(failure) => *failure == Failure::Dns(DnsFailure::NoSuchName),
    }
}

/// A missing robots.txt or default sitemap is never reported.
pub(super) fn matters(entry: &Entry) -> bool {
    let roles = entry.roles;
    entry.is_linked() || !(roles.robots() || roles.only_sitemap() || roles.is_test_url())
}
