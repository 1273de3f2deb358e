//! What a response means for its URL, and for those that redirect to it.
//!
//! [`Judging`] takes the outcome of a request and decides what follows: another attempt, the next
//! hop, a confirmation, or a verdict. A verdict may decide others, which is recursive by nature;
//! that part is in `finalize`.

mod all_missing;
mod attempts;
mod certificates;
mod chain;
mod confirmation;
mod cookie_redirects;
mod finalize;
mod home_pages;
mod jar;
mod judge;
mod redirects;
mod soft404;
pub(super) mod soft404_probe;
mod start;

use std::collections::BTreeMap;

use all_missing::AllMissing;
use certificates::Certificates;
use chain::Chain;
use confirmation::Confirmations;
use soft404_probe::Soft404Probes;

use super::board::Board;
use super::messages::UrlId;

/// From responses to verdicts. See the [module](self).
#[derive(Debug, Default)]
pub(super) struct Judging {
    confirmations: Confirmations,
    soft404: Soft404Probes,
    all_missing: AllMissing,
    certificates: Certificates,
    /// Chains that are being followed with cookies, by their first hop.
    chains: BTreeMap<UrlId, Chain>,
}

impl Judging {
    /// Queues the URLs to confirm, once nothing else is left to do. Returns whether there were
    /// any.
    pub(super) fn enqueue_unconfirmed(&mut self, board: &mut Board) -> bool {
        self.confirmations.enqueue_all(board)
    }
}
