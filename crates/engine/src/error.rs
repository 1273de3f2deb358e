//! Why a crawl could not do its job. A broken link is none of these.

use rummage_core::crawl::StartProblem;
use rummage_store::StoreError;

/// Why a crawl ended without doing its job.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EngineError {
    /// The start gave no page to begin with.
    #[error("the start could not be read")]
    Start(Box<StartProblem>),
    /// A part of this program failed. What was stored stays.
    #[error("internal error in the {thread} thread: {message}")]
    Internal {
        /// What that thread does.
        thread: &'static str,
        /// What it said.
        message: String,
    },
    /// What was found could not be stored.
    #[error(transparent)]
    Store(#[from] StoreError),
}
