//! URLs: from references in a page to URLs in normal form, and everything that follows from a
//! URL itself: its scope, whether a pattern matches, its query and fragment.

pub mod credentials;
pub mod fragment;
pub mod hashed;
pub mod mailto;
pub(crate) mod memo;
pub mod network;
pub mod pattern;
pub mod query;
pub mod reference;
pub mod scope;
pub mod secrets;
pub mod userinfo;
