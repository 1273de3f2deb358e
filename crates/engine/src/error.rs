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
    /// What was found could not be stored.
    #[error(transparent)]
    Store(#[from] StoreError),
}
