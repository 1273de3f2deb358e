//! Is this file ours, of a version that we know, and sound?

pub(crate) mod connection;
pub(crate) mod error;
pub(crate) mod row;
