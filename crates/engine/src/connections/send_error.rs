//! Why a request got no response.

use rummage_core::evidence::{Failure, Stage};

use crate::failure;

/// Why a request got no response. See the [module](self).
#[derive(Debug)]
pub(crate) enum SendError {
    /// There is no connection.
    Dial(Failure),
    /// The connection failed.
    Exchange(hyper::Error),
    /// No response has begun in time.
    TimedOut,
}

impl SendError {
    pub(crate) fn to_failure(&self) -> Failure {
        match self {
            SendError::Dial(failure) => failure.clone(),
            SendError::Exchange(error) => failure::of_request(error),
            SendError::TimedOut => Failure::Timeout(Stage::FirstByte),
        }
    }
}
