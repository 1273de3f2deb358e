//! The numbers of URLs, servers and requests in a crawl.

use std::num::NonZeroU32;

/// A URL that a crawl has discovered; counted from 0 in the order of discovery.
// One more than the position, so that an optional one takes no more room: there are many.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct UrlId(NonZeroU32);

impl UrlId {
    /// The id of the n-th URL discovered, from 0.
    ///
    /// # Panics
    /// If there are 2^32 URLs or more.
    #[must_use]
    pub fn from_index(index: usize) -> UrlId {
        UrlId(numbered(index).expect("a crawl discovers fewer than 2^32 URLs"))
    }

    /// The position in the order of discovery, from 0.
    #[must_use]
    pub fn index(self) -> usize {
        self.0.get() as usize - 1
    }

    /// The one with this number, which is never 0.
    pub(crate) fn from_number(number: u32) -> Option<UrlId> {
        NonZeroU32::new(number).map(UrlId)
    }

    pub(crate) fn number(self) -> u32 {
        self.0.get()
    }
}

/// One more than this.
fn numbered(index: usize) -> Option<NonZeroU32> {
    NonZeroU32::new(u32::try_from(index).ok()?.checked_add(1)?)
}

/// A server that URLs are requested from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct ServerId(NonZeroU32);

impl ServerId {
    pub(crate) fn from_index(index: usize) -> ServerId {
        ServerId(numbered(index).expect("there are fewer servers than URLs"))
    }

    pub(crate) fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}

/// One request of a crawl; counted from 0 in the order in which they are made.
///
/// A URL may have several requests in flight, for different reasons: only the id tells their
/// replies apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RequestId(u64);

impl RequestId {
    /// The id of the n-th request, from 0.
    #[must_use]
    pub fn from_number(number: u64) -> RequestId {
        RequestId(number)
    }
}
