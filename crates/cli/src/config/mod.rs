//! The settings file: found, read, and laid under what was typed.
//!
//! A site's section lies over `[defaults]`; the environment and the command line lie over
//! both. [`keys`] has every key with its preset; [`read`] refuses what it does not know;
//! [`write`] makes a new file.

mod due;
pub(crate) mod keys;
mod load;
mod model;
mod read;
pub(crate) mod schema;
mod watching;
pub(crate) mod write;

pub(crate) use model::{Config, FILE, Own, Placeholders, Section};
pub(crate) use watching::{SecurityChoice, Variable};
