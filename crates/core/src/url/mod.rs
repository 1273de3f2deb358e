//! What does this reference name, and is that the site's own?
//!
//! From what is written in a page to URLs in normal form, and what can be said of a URL by
//! looking at it: its scope, whether a pattern fits, what its query and fragment mean.

pub mod fragment;
pub mod hashed;
pub mod mailto;
pub(crate) mod memo;
pub mod network;
pub mod pattern;
pub mod query;
pub mod reference;
pub mod scope;
