//! The page on which links are, as far as it decides what they lead to.

use encoding_rs::{Encoding, UTF_8};
use url::Url;
use xxhash_rust::xxh3::xxh3_64;

use crate::crawl::messages::UrlId;
use crate::extract::elements::Attribute;
use crate::extract::reading::{Link, Reading};
use crate::url::memo::BaseKeys;
use crate::url::reference::base_of;

/// Where references come from, which decides how they are resolved.
pub(super) struct Source {
    pub(super) base: Url,
    pub(super) keys: BaseKeys,
    pub(super) encoding: &'static Encoding,
    /// A page that the user gave as a file: the base of its relative references is unknown.
    pub(super) is_given: bool,
}

impl Source {
    fn new(base: Url, encoding: &'static Encoding) -> Source {
        Source { keys: BaseKeys::new(&base), base, encoding, is_given: false }
    }

    /// Whether a reference resolves to the same URL wherever its base is the same.
    pub(super) fn may_remember(&self, written: &str) -> bool {
        self.encoding == UTF_8 || written.is_ascii()
    }
}

/// The sources of a page's references.
pub(super) struct Sources {
    page: Source,
    /// If the page sets one.
    base: Option<Source>,
}

impl Sources {
    pub(super) fn new(url: &Url, reading: &Reading) -> Sources {
        let is_given = reading.format.is_page() && url.scheme() == "file";
        let base = reading.base().and_then(|written| base_of(url, written));
        Sources {
            page: Source { is_given, ..Source::new(url.clone(), reading.encoding) },
            base: base.map(|base| Source::new(base, reading.encoding)),
        }
    }

    /// Hashes of what references may depend on: those without a folder, and all others but the few
    /// that depend on the whole URL.
    pub(super) fn hashes(&self) -> [u64; 2] {
        [1, 2].map(|keys| {
            let sources = [Some(&self.page), self.base.as_ref()];
            let mut hashed = self.page.encoding.name().as_bytes().to_vec();
            for source in sources.into_iter().flatten() {
                let parts = source.keys.parts();
                hashed.extend(parts[..keys].iter().flat_map(|part| part.to_le_bytes()));
            }
            xxh3_64(&hashed)
        })
    }

    /// A `base` applies to the page, not to the headers of the response.
    pub(super) fn of(&self, link: &Link<'_>) -> &Source {
        let base = self.base.as_ref().filter(|_| link.attribute != Attribute::HEADER);
        base.unwrap_or(&self.page)
    }
}

/// A page whose links are followed.
pub(super) struct Place<'a> {
    pub(super) page: UrlId,
    pub(super) reading: &'a Reading,
    /// Its depth; `u32::MAX` for what only lists pages.
    pub(super) depth: u32,
    pub(super) is_secure: bool,
    /// Browsers request its http URLs by https.
    pub(super) upgrades: bool,
    /// URLs from this one on are new.
    pub(super) first_new: usize,
    /// What it is the first to name is not requested.
    pub(super) leads_nowhere: bool,
    pub(super) sources: Sources,
}
