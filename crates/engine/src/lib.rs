//! The I/O around the core: it makes requests, reads the clock and writes to the store.
//!
//! It decides nothing itself. [`crawl`] drives a [`rummage_core::crawl::Crawl`]: requests out to
//! a [`Fetcher`], replies in, events to the store and to an [observer](Observer). [`LocalFiles`]
//! are read from disk instead of requested. [`send`] and [`hand_over`] deliver digests.

mod api;
mod body;
mod cache_reader;
mod clock;
mod config;
mod connections;
mod credentials;
mod decode;
mod deliver;
mod driver;
mod error;
mod failure;
mod fetch;
mod fetched;
mod headers;
mod local_files;
mod panics;
mod parsing;
#[cfg(test)]
mod received_tests;
mod recorder;
mod resolve;
mod tls;

pub use api::{ApiClient, ApiResponse};
pub use cache_reader::CacheLookup;
pub use clock::Clock;
pub use config::{Config, ConnectRule, DEFAULT_USER_AGENT, Proxies};
pub use credentials::Credentials;
pub use deliver::{DeliveryError, Mail, MailServer, Security, hand_over, send};
pub use driver::{Ended, Fetch, InternalError, Job, Observer, Recheck, Stop, crawl, stopped};
pub use error::EngineError;
pub use fetch::Fetcher;
pub use fetched::Fetched;
pub use local_files::{Document, Folder, LocalFiles};
