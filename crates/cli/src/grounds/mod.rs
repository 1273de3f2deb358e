//! Where links are edited, one file each.

pub(crate) mod files;
mod transaction;
