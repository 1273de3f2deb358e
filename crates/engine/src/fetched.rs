//! What a request gives: a reply, and the memory that it takes.

use rummage_core::crawl::Reply;
use tokio::sync::OwnedSemaphorePermit;

/// A reply, and the permit for the memory that it takes, if that is much: given back once its
/// events are on their way to the store.
#[derive(Debug)]
pub struct Fetched {
    /// The reply.
    pub reply: Reply,
    /// The permit.
    pub permit: Option<OwnedSemaphorePermit>,
}

impl From<Reply> for Fetched {
    fn from(reply: Reply) -> Fetched {
        Fetched { reply, permit: None }
    }
}
