//! Notifications: collecting changes in digests, and delivering them.

pub(crate) mod collector;
pub(crate) mod digest;
pub(crate) mod message_id;
pub(crate) mod outbox;
