//! Operations on a store as a whole.

pub(crate) mod belief;
pub(crate) mod copy;
pub(crate) mod finish;
pub(crate) mod patrol_lock;
pub(crate) mod sites;
pub(crate) mod update;
pub(crate) mod write_back;
