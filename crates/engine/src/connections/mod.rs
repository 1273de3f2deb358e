//! Over which connection a request goes.

pub(crate) mod dial;
pub(crate) mod transport;
mod trust;
