//! A pass over what the user has given: lists of URLs, for which there is no site, and single
//! pages.

use std::collections::HashMap;

use rummage_core::crawl::{Externals, RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::Prefix;
use rummage_engine::{Document, Shelf};
use rummage_store::{RunKind, RunWriter};
use url::Url;

use super::Pass;
use super::means::Means;
use crate::failure::Failure;

impl Pass {
    /// All URLs in these lists; there is at least one list. `own`: a site that is the user's
    /// own, and is requested from as quickly as it bears.
    pub(crate) fn probe(
        means: Means<'_>,
        lists: Vec<(Url, Document)>,
        own: Option<&Url>,
    ) -> Result<Pass, Failure> {
        let settled = means.settle(None);
        let mut urls: Vec<Url> = lists.iter().map(|(url, _)| url.clone()).collect();
        let first = urls.remove(0);
        let settings = Settings {
            lists: true,
            also: urls,
            externals: Externals::Check,
            robots: RobotsRule::Ignore,
            sitemap: SitemapRule::Named,
            // What is the user's own is checked, not crawled.
            depth: own.map(|_| 0),
            max_pages: None,
            within: own.into_iter().flat_map(Prefix::all_of).collect(),
            ..settled.settings()?
        };
        let documents: HashMap<String, Document> =
            lists.into_iter().map(|(url, document)| (url.into(), document)).collect();
        let mut fetching = settled.fetching(own)?;
        fetching.shelf = Shelf::of_documents(documents);
        // A URL that is written into a list is meant.
        fetching.allow_private = true;
        let new = settled.new_run(first.as_str(), RunKind::Probe);
        // A list is no site: there is nothing to report of it over time.
        let writer = RunWriter::begin(settled.store, new)?;
        Ok(Pass::new(&settled, vec![first], settings, fetching, writer))
    }

    /// Only these pages, with all that they name, of a site of which nothing is known yet.
    pub(crate) fn pages_alone(
        means: Means<'_>,
        pages: Vec<Url>,
        draft: Option<Document>,
    ) -> Result<Pass, Failure> {
        let settled = means.settle(None);
        let first = pages[0].clone();
        let mut settings = Settings {
            depth: Some(0),
            sitemap: SitemapRule::None,
            also: pages[1..].to_vec(),
            ..settled.settings()?
        };
        let mut fetching = settled.fetching(Some(&first))?;
        if let Some(draft) = draft {
            // It is a local file: no robots.txt says whether it may be read.
            settings.robots = RobotsRule::Ignore;
            fetching.shelf = Shelf::of_documents([(first.to_string(), draft)].into());
        }
        let writer = settled.begin(settled.new_run(first.as_str(), RunKind::Page))?;
        Ok(Pass::new(&settled, vec![first], settings, fetching, writer))
    }
}
