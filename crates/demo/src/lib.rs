//! What is it like in the wild?
//!
//! A small simulated web on loopback: web hosts, their TLS, their DNS and their post, with
//! every fault that the tool claims to find, planted where it happens in life. A
//! [`Scenario`] says what there is and holds the truth about each planted fault;
//! [`museum`] is the one that people see, [`generated`] makes others from a seed,
//! so that nothing is fitted to the museum. [`serve`] puts one on the air.
//!
//! This crate needs no other of ours: it must not learn from the tool what the
//! tool is held against.

mod authority;
mod dns;
mod draw;
mod generated;
mod large;
mod mail;
mod museum;
mod scenario;
mod server;
mod tour;

pub use generated::generated;
pub use large::{LARGE_SITE_PICTURES, large_site};
pub use mail::ReceivedEmail;
pub use museum::{
    ARRIVED, Arrived, BUILT_TRUTH, BUILT_UNREACHED, Row, URLS, access_log, built, museum,
    museum_earlier, urls, write_handed,
};
pub use scenario::{
    Act, Answer, ConnectionMode, Fault, FaultLink, FaultLinks, Host, Resolves, Scenario, Tls,
};
pub use server::{ReceivedRequest, Web, serve};
pub use tour::{Step, TOUR, WATCHED, WATCHING};
