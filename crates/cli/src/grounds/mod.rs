//! Where links are edited, one file each.

pub(crate) mod files;
pub(crate) mod seen;
mod transaction;
pub(crate) mod undo;
pub(crate) mod wordpress;
