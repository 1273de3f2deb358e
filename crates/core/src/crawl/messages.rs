//! What goes in and out of the machine: requests and events out, replies in.

use crate::outcome::{Attempt, Method};
use crate::reading::Reading;
use crate::scope::{Bounds, Scope};
use crate::verdict::{Cause, Verdict};

/// An address that a crawl has heard of; counted from 0 in the order of hearing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct AddressId(u32);

impl AddressId {
    /// The id of the address that was heard of as the n-th, from 0.
    ///
    /// # Panics
    /// From 2^32 addresses on.
    #[must_use]
    pub fn from_index(index: usize) -> AddressId {
        AddressId(u32::try_from(index).expect("a crawl knows fewer than 2^32 addresses"))
    }

    /// As which the address was heard of, from 0.
    #[must_use]
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// What the engine is to do with the body of a 2xx answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BodyWish {
    /// Nothing: drop it.
    Drop,
    /// Read an HTML page for its title alone.
    Title,
    /// Read an HTML page for all that is in it.
    Page,
}

/// The kind of thing that a browser would expect here (sets `Accept`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A page.
    Page,
    /// A picture.
    Image,
    /// Anything.
    Any,
}

/// One request that the engine is to make, of one hop.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// Which address, to be named in the reply.
    pub id: AddressId,
    /// The address.
    pub address: String,
    /// How to ask.
    pub method: Method,
    /// What to read.
    pub body: BodyWish,
    /// What to say is wanted.
    pub kind: Kind,
    /// Within the site, as far as is known: credentials may be sent.
    pub scope: Scope,
    /// An attempt after the first: on a fresh connection, with twice the patience.
    pub later: bool,
}

/// How a request ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reply {
    /// Which address.
    pub id: AddressId,
    /// What was seen.
    pub attempt: Attempt,
    /// The page, where one was read.
    pub reading: Option<Reading>,
}

/// What a link names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The address.
    pub id: AddressId,
    /// The fragment, as the URL standard serialises it, without `#`.
    pub fragment: Option<String>,
}

/// A final word on an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judged {
    /// What is said.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
    /// The last status on the way; `None` where no server answered.
    pub status: Option<u16>,
    /// The next hop, where the address redirects.
    pub next: Option<AddressId>,
    /// Where the hops ended; the address itself without any.
    pub last: AddressId,
    /// How many hops there were.
    pub hops: u32,
    /// For what moved: where the leading permanent redirects end.
    pub moved_to: Option<AddressId>,
    /// A page of the site that was asked, but not read, for its depth.
    pub unread: bool,
    /// Some link names it; it is not only a hop on the way to another.
    pub linked: bool,
}

/// What can be said of a fragment that no page's id answers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// The page was read to its end and has no such place.
    Missing,
    /// The fragment looks like one that a script reads.
    ForScript,
}

/// What happened, for the store and for whoever watches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// The start was reached: the site's bounds are known.
    Bounded {
        /// Where the start's redirects ended.
        start: AddressId,
        /// The bounds.
        bounds: Bounds,
    },
    /// An address was heard of for the first time.
    Heard {
        /// The id it has from now on.
        id: AddressId,
        /// The address; for a malformed one, what was written.
        address: String,
    },
    /// On which side of the bounds an address lies.
    Placed {
        /// The address.
        id: AddressId,
        /// `None` for what is not asked over HTTP.
        scope: Option<Scope>,
    },
    /// An address was asked, once.
    Asked {
        /// The address.
        id: AddressId,
        /// What was seen.
        attempt: Attempt,
        /// The title of a page that is not read for links.
        title: Option<String>,
        /// Another attempt will follow.
        again: bool,
    },
    /// A page of the site was read.
    Read {
        /// The page.
        id: AddressId,
        /// What it holds.
        reading: Reading,
        /// What its links name, in the same order.
        targets: Vec<Target>,
    },
    /// An address has its verdict. It may get another: the last one counts.
    Judged {
        /// The address.
        id: AddressId,
        /// The verdict.
        judged: Judged,
    },
    /// A fragment of an address has no place on its page.
    NoPlace {
        /// The address that links name, redirects not followed.
        id: AddressId,
        /// The fragment.
        fragment: String,
        /// What can be said.
        place: Place,
    },
    /// A server showed strain and is asked more slowly.
    Slowed {
        /// Host, and port where it is not a default one.
        server: String,
    },
}
