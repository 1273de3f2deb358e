//! What discovery and judging stand on: the board, and the two machines beside each other.

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
    /// A URL is requested, as soon as the rules of its server are known.
    pub(super) fn enqueue(&mut self, id: UrlId) {
        if !self.robots.hold(&mut self.board, id) {
            self.board.enqueue(id, Order::Last);
        }
    }

    /// A URL responded well, and is requested once more, to be read.
    pub(super) fn enqueue_to_read(&mut self, id: UrlId) {
        self.board.entry_mut(id).attempts.by_get = true;
        self.enqueue(id);
    }
}
