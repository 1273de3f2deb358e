//! A pass over what somebody has given: lists of addresses, for which there is no site, and
//! single pages.

use std::collections::HashMap;
use std::path::Path;

use rummage_core::crawl::{Externals, RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::Prefix;
use rummage_engine::{Document, Shelf};
use rummage_store::{NewRun, RunKind, RunWriter};
use url::Url;

use super::plain::{config, settings};
use super::{Pass, new_run};
use crate::args::Asking;
use crate::config::Config;
use crate::digests;
use crate::failure::Failure;

impl Pass {
    /// All addresses in these lists; there is at least one list. `own`: a site that is one's
    /// own, and is asked as quickly as it bears.
    pub(crate) fn probe(
        store: &Path,
        lists: Vec<(Url, Document)>,
        own: Option<&Url>,
        given: &Asking,
        file: &Config,
    ) -> Result<Pass, Failure> {
        let settled = file.settled(None);
        let asking = given.clone().or(settled.asking.clone());
        let mut urls: Vec<Url> = lists.iter().map(|(url, _)| url.clone()).collect();
        let first = urls.remove(0);
        let settings = Settings {
            lists: true,
            also: urls,
            externals: Externals::Check,
            robots: RobotsRule::Ignore,
            sitemap: SitemapRule::Named,
            // What is one's own is asked, not walked.
            depth: own.map(|_| 0),
            max_pages: None,
            within: own.into_iter().flat_map(Prefix::all_of).collect(),
            ..settings(&asking, &settled)?
        };
        let documents: HashMap<String, Document> =
            lists.into_iter().map(|(url, document)| (url.into(), document)).collect();
        let mut fetching = config(&asking, own)?;
        fetching.shelf = Shelf::of_documents(documents);
        // Whoever writes an address into a list means it.
        fetching.allow_private = true;
        let new = NewRun { kind: RunKind::Probe, ..new_run(first.as_str(), &asking, &settled) };
        Ok(Pass::new(vec![first], settings, fetching, RunWriter::begin(store, new)?))
    }

    /// Only these pages, with all that they name, of a site of which nothing is known yet.
    pub(crate) fn pages_alone(
        store: &Path,
        pages: Vec<Url>,
        draft: Option<Document>,
        given: &Asking,
        section: Option<String>,
        file: &Config,
    ) -> Result<Pass, Failure> {
        let settled = file.settled(section.as_deref());
        let asking = given.clone().or(settled.asking.clone());
        let first = pages[0].clone();
        let mut settings = Settings {
            depth: Some(0),
            sitemap: SitemapRule::None,
            also: pages[1..].to_vec(),
            ..settings(&asking, &settled)?
        };
        let mut fetching = config(&asking, Some(&first))?;
        if let Some(draft) = draft {
            // It is at hand: nobody need be asked whether it may be read.
            settings.robots = RobotsRule::Ignore;
            fetching.shelf = Shelf::of_documents([(first.to_string(), draft)].into());
        }
        let new = NewRun { kind: RunKind::Page, ..new_run(first.as_str(), &asking, &settled) };
        let telling = digests::telling(file, store, &settled)?;
        let writer = RunWriter::begin(store, new)?.telling(telling);
        Ok(Pass { section, ..Pass::new(vec![first], settings, fetching, writer) })
    }
}
