//! A simulated web on loopback: web hosts, TLS, DNS and email, with every fault that Rummage
//! claims to find, in the places where it happens on real sites.
//!
//! A [`Scenario`] describes the web and the truth about each planted fault; [`museum()`] is the one
//! that people see, [`generated()`] makes others from a seed, so that nothing is tuned to the
//! museum. [`serve`] serves one.
//!
//! This crate uses no other crate of the workspace: it must not learn from the tool that it is
//! used to test.

mod authority;
mod blog;
mod curable;
mod dns;
mod draw;
mod generated;
mod large;
mod mail;
mod museum;
mod scenario;
mod server;
mod tour;

pub use curable::{Curable, CurableSite, curable};
pub use generated::generated;
pub use large::{LARGE_SITE_PICTURES, large_site};
pub use mail::ReceivedEmail;
pub use museum::{
    ARRIVED, Arrived, BUILT_TRUTH, BUILT_UNREACHED, MOVED_TRUTH, Row, URLS, access_log, built,
    moved, museum, museum_earlier, urls, write_files, write_pages,
};
pub use scenario::{
    Act, Answer, Blog, BlogItem, ConnectionMode, Fault, FaultLink, FaultLinks, Host, Resolves,
    Scenario, Tls,
};
pub use server::{ReceivedRequest, Web, serve};
pub use tour::{MENDING, Step, TOUR, WATCHED, WATCHING};
