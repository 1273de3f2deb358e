//! Findings: selecting them, following them across runs, and ranking them.

pub mod baseline;
pub mod compare;
pub mod identity;
pub mod lifecycle;
pub mod portion;
pub mod prominence;
pub mod rank;
pub mod selection;
pub mod shared;
pub mod waiver;
