//! Which links are meant, what has become of them, and what is to be fixed first?

pub mod compare;
pub mod identity;
pub mod lifecycle;
pub mod prominence;
pub mod rank;
pub mod selection;
pub mod shared;
pub mod waiver;
