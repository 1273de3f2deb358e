//! What is checked again and when, and what are people told of it?

pub mod notifications;
pub mod patrol;
pub mod policy;
