//! What does a response mean for its URL, and for those that redirect to it?
//!
//! [`Judging`] takes what came of a request and goes on from there: another attempt, the next
//! hop, a confirmation, or a verdict. A verdict that settles others is the one thing that is
//! recursive by nature; it stands in `finalize`.

mod attempts;
mod chain;
mod confirmation;
mod cookie_redirects;
mod finalize;
mod judge;
mod redirects;
mod soft404;
pub(super) mod soft404_probe;
mod start;

use std::collections::BTreeMap;

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
    /// Redirects that are being followed with their cookies, by their first hop.
    chains: BTreeMap<UrlId, Chain>,
}

impl Judging {
    /// Queues what is to be confirmed, once nothing else is left to do at once. Gives whether
    /// there was something.
    pub(super) fn enqueue_unconfirmed(&mut self, board: &mut Board) -> bool {
        self.confirmations.enqueue_all(board)
    }
}
