//! The crawl: which URL is requested next, and what its response means.
//!
//! [`Crawl`] is the machine: replies in (`handle_*`), requests and events out (`poll_*`). It
//! makes no requests itself and reads no clock. Inside, smaller machines each own their part of
//! the state, and the lower ones know nothing of the higher:
//!
//! ```text
//! urls ◀─ requests ◀─┬─ health ◀─┬─ discovery ◀─ judging ◀─ machine
//!                     └─ robots ◀─┘
//! ```
//!
//! - `urls`: every URL of the run, and its phase.
//! - `requests`: the queue of requests, the requests in flight, and their pace.
//! - `health`: whether servers and the network are available.
//! - `robots`: what robots.txt allows, and the URLs that wait for it.
//! - `discovery`: from the links of a page to the URLs to request, or why not.
//! - `judging`: from a response to a verdict, hop by hop.
//!
//! A machine calls those below it. What concerns a higher one it reports as an `Effect`, which
//! `machine` applies: in one loop, in order. `board` is what they all share: the settings,
//! `urls`, `requests`, and the queues of events and effects.

mod board;
mod discovery;
mod effect;
mod health;
mod ids;
mod judging;
mod machine;
mod messages;
mod progress;
mod requests;
mod robots;
mod settings;
mod shared;
pub mod suspicion;
mod urls;

pub use discovery::traps;
pub use judging::soft404_probe::{TEST_PREFIX, is_test_url, nonexistent_sibling};
pub use machine::Crawl;
pub use messages::{
    BodyUse, Event, FollowedPart, FragmentFault, Halt, Judged, Kind, NotParsed, Note, Reply,
    Request, RequestId, Response, StartProblem, Target, UrlId,
};
pub use progress::{Progress, Tick};
pub use requests::{pace, retry};
pub use settings::{Externals, Fragments, MOST_URLS, RobotsRule, Settings, SitemapRule};
