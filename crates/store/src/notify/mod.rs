//! What are people told, and is it delivered?

pub(crate) mod collector;
pub(crate) mod digest;
pub(crate) mod message_id;
pub(crate) mod outbox;
