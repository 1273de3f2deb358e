//! Many sites on many machines: what workers share, in PostgreSQL.
//!
//! A site is checked by one worker at a time, which has a [lease](Lease) of it. The worker checks
//! it as `rummage patrol` would, on a store of its own; then it saves a [snapshot](snapshots) of
//! that store, with which any other worker can go on, and the site's current findings. Requests
//! for external URLs are made once for all sites ([`checks`]), and digests go through one outbox.
//!
//! Only this crate knows PostgreSQL. It makes no requests to sites, and decides nothing about
//! them. Times are the server's: the clocks of workers do not matter.

pub mod checks;
pub mod findings;
pub mod outbox;
pub mod sites;
pub mod snapshots;
pub mod status;

mod address;
mod database;
mod error;
mod leases;
mod passes;
mod schema;
mod workers;

pub use address::Address;
pub use database::{Database, gap};
pub use error::FleetError;
pub use leases::{Lease, RENEWAL, SAFE, SILENCE, Wanted};
pub use passes::{Ending, Pass, RunSums};
pub use schema::VERSION;
pub use workers::Worker;
