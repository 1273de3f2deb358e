//! From a panic to words.
//!
//! A panic is a fault of this program. It must never leave somebody waiting for what will
//! not come: a task or thread of ours that panics is an error with its message.

use std::any::Any;

use tokio::task::JoinError;

/// What a panic said.
pub(crate) fn text(payload: &(dyn Any + Send)) -> String {
    let text = payload.downcast_ref::<&str>().map(|text| (*text).to_owned());
    text.or_else(|| payload.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "a panic without a message".to_owned())
}

/// Why a task has not come to its end.
pub(crate) fn message(error: JoinError) -> String {
    match error.try_into_panic() {
        Ok(payload) => text(&*payload),
        Err(error) => error.to_string(),
    }
}
