//! The settings file: found, read, and overridden by the command line.
//!
//! A site's section overrides `[defaults]`; the environment and the command line override both.
//! [`keys`] lists every key with its default; [`read`] rejects unknown keys; [`mod@write`] creates a
//! new file.

mod due;
pub(crate) mod everywhere;
pub(crate) mod keys;
mod load;
mod model;
mod read;
pub(crate) mod schema;
mod watching;
pub(crate) mod write;

pub(crate) use model::{Config, FILE, Placeholders, Section, SiteKeys};
pub(crate) use watching::{SecurityChoice, Variable};
