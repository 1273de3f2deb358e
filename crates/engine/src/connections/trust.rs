//! Whether a server's responses can be told apart by their order.

use std::sync::atomic::{AtomicBool, Ordering};

/// What the connections to one server have shown.
#[derive(Debug, Default)]
pub(super) struct Trust {
    is_lost: AtomicBool,
}

impl Trust {
    /// Bytes have arrived that belong to no request.
    pub(super) fn handle_stray_bytes(&self) {
        self.is_lost.store(true, Ordering::Relaxed);
    }

    /// Whether such bytes have arrived on any connection to it.
    pub(super) fn is_lost(&self) -> bool {
        self.is_lost.load(Ordering::Relaxed)
    }
}
