//! From errors of the HTTP library to failures.

use std::error::Error;
use std::io;

use rummage_core::evidence::Failure;

use crate::connections::dial::of_io;

/// The failure for a failed request.
pub(crate) fn of_request(error: &(dyn Error + 'static)) -> Failure {
    let mut at = Some(error);
    let mut seen = None;
    while let Some(error) = at {
        if let Some(error) = error.downcast_ref::<hyper::Error>() {
            if error.is_parse() {
                return Failure::BadResponse(error.to_string());
            }
            if error.is_incomplete_message() || error.is_canceled() || error.is_closed() {
                seen = Some(Failure::Reset);
            }
        }
        if let Some(error) = error.downcast_ref::<io::Error>() {
            seen = Some(of_io(error));
        }
        at = error.source();
    }
    seen.unwrap_or(Failure::Reset)
}
