//! The database file: opening, checking and migrating it.

pub(crate) mod connection;
pub(crate) mod error;
pub(crate) mod row;
