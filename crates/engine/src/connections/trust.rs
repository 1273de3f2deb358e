//! Which servers have sent a response too many.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// What the connections to one server have shown.
#[derive(Debug, Default)]
pub(crate) struct Trust {
    is_lost: AtomicBool,
}

impl Trust {
    /// Bytes have arrived that belong to no request.
    pub(crate) fn handle_stray_bytes(&self) {
        self.is_lost.store(true, Ordering::Relaxed);
    }

    /// Whether such bytes have arrived on any connection to it.
    pub(crate) fn is_lost(&self) -> bool {
        self.is_lost.load(Ordering::Relaxed)
    }
}

/// What all servers have shown, by host and port.
#[derive(Debug, Default)]
pub(crate) struct Trusts(Mutex<HashMap<(String, u16), Arc<Trust>>>);

impl Trusts {
    pub(crate) fn of(&self, host: &str, port: u16) -> Arc<Trust> {
        let mut servers = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        Arc::clone(servers.entry((host.to_owned(), port)).or_default())
    }
}
