//! A fleet: its workers and queue, its sites, and the findings of all of them.

mod findings;
mod status;
mod status_objects;

pub use findings::FleetListing;
pub use status::{fleet_sites, fleet_status};
pub use status_objects::fleet_status_rows;
