//! What discovery and judging share: the board, and the two machines at the same level.

use super::board::Board;
use super::health::Health;
use super::messages::UrlId;
use super::requests::Order;
use super::robots::RobotsGate;

/// See the [module](self).
#[derive(Debug)]
pub(super) struct SharedState {
    pub(super) board: Board,
    pub(super) health: Health,
    pub(super) robots: RobotsGate,
}

impl SharedState {
    /// Queues a URL, as soon as the rules of its server are known.
    pub(super) fn enqueue(&mut self, id: UrlId) {
        if !self.robots.hold(&mut self.board, id) {
            self.board.enqueue(id, Order::Last);
        }
    }

    /// Queues a URL that responded well once more, to be parsed.
    pub(super) fn enqueue_to_read(&mut self, id: UrlId) {
        self.board.entry_mut(id).attempts.by_get = true;
        self.enqueue(id);
    }
}
