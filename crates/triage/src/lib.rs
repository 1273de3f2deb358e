//! The full-screen view in which findings are looked at and decided, one after the other.
//!
//! [`State`] is a machine: [`Msg`] in, [`Effect`] out. It has no terminal, no store and no clock.
//! [`render`] draws a state. Its driver runs the effects and passes on their results.

mod effect;
mod input;
mod keys;
mod layout;
mod machine;
mod render;
mod vocabulary;

pub use effect::{
    Applied, Changes, Decided, Decision, DiffLine, Effect, Index, LiveCrawl, Msg, Place, Proposal,
    Recheck, View,
};
pub use keys::Key;
pub use machine::{Setup, State};
pub use render::{Palette, render};
pub use vocabulary::{OptionInfo, Vocabulary};
