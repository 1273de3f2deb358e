//! Why a crawl could not do its job. Broken links are not errors.

use rummage_core::crawl::StartProblem;
use rummage_store::StoreError;

/// Why a crawl ended without doing its job.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EngineError {
    /// The start URL returned no page.
    #[error("cannot read the start page")]
    Start(Box<StartProblem>),
    /// A thread of this program failed. What was stored stays.
    #[error("internal error in the {thread} thread: {message}")]
    Internal {
        /// The name of the thread.
        thread: &'static str,
        /// The message.
        message: String,
    },
    /// The results could not be stored.
    #[error(transparent)]
    Store(#[from] StoreError),
}
