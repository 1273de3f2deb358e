//! When URLs are rechecked, and which changes people are notified of.

pub mod notifications;
pub mod patrol;
pub mod policy;
pub mod sharing;
