//! From a panic to a message.
//!
//! A panic is a bug in this program. It must never leave other threads waiting forever: a task or
//! thread that panics is an error with its message.

use std::any::Any;

use tokio::task::JoinError;

/// The message of a panic.
pub(crate) fn text(payload: &(dyn Any + Send)) -> String {
    let text = payload.downcast_ref::<&str>().map(|text| (*text).to_owned());
    text.or_else(|| payload.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "a panic without a message".to_owned())
}

/// Why a task did not complete.
pub(crate) fn message(error: JoinError) -> String {
    match error.try_into_panic() {
        Ok(payload) => text(&*payload),
        Err(error) => error.to_string(),
    }
}
