//! Every URL of the run: its text, its roles, its phase, and the URLs whose verdict follows from
//! it.

mod by_url;
mod entry;
mod progress;
mod roles;
mod table;
mod texts;

pub(super) use by_url::ByUrl;
pub(super) use entry::{Confirmation, Entry, LastResponse, Phase, TypeCheck};
pub(super) use roles::Roles;
pub(super) use table::UrlTable;
