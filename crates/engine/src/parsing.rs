//! How bodies are parsed.

use std::sync::Arc;

use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::{Extractor, Format, Limits};

/// How a body is parsed.
#[derive(Debug, Clone)]
pub(crate) struct Parsing {
    pub(crate) limits: Limits,
    /// Parts of pages that all pages of the crawl share.
    pub(crate) repeats: Arc<Repeats>,
}

impl Parsing {
    /// An extractor for the body of the URL, with or without a hash of its text.
    pub(crate) fn extractor(
        &self,
        url: &str,
        format: Format,
        charset: Option<&str>,
        with_sketch: bool,
    ) -> Extractor {
        let mut extractor = Extractor::of_url(url, format, charset, self.limits, with_sketch);
        extractor.set_repeats(&self.repeats);
        extractor
    }
}
