//! Targets for a view that a person moves through: their order at once, their texts as they come
//! into sight.

mod detail;
mod list;

pub use detail::{Occurrence, TargetDetail};
pub use list::{Section, TargetId, TargetLine, TargetList, TargetOrder};
