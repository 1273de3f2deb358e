//! What the parts of a worker share.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use rummage_fleet::{Database, Worker};

use super::shared::Checks;
use crate::session::Session;

/// How a worker works.
pub(crate) struct WorkSettings {
    pub(crate) once: bool,
    /// How many sites it checks at the same time.
    pub(crate) sites: u16,
    pub(crate) folder: PathBuf,
    pub(crate) name: String,
    pub(crate) snapshot_every: Duration,
    /// The minimum time between two requests to an external host, by all workers.
    pub(crate) external_interval: Duration,
}

/// What the lanes of a worker share.
pub(super) struct Workplace {
    pub(super) settings: WorkSettings,
    pub(super) session: Session,
    pub(super) worker: Worker,
    /// What identifies the fleet: stores of another one are of no use.
    pub(super) fleet: String,
    /// For leases; for results, which take longer; and for checks, of which there are many.
    pub(super) leases: Database,
    pub(super) results: Database,
    pub(super) checks: Arc<Checks>,
    /// With `once`: something could not be checked.
    pub(super) incomplete: AtomicBool,
}

impl Workplace {
    /// With `once`: something could not be checked.
    pub(super) fn handle_incomplete(&self) {
        self.incomplete.store(true, Ordering::Relaxed);
    }
}
