//! Replaying a run that was stopped or killed, to continue it.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::time::Duration;

use encoding_rs::Encoding;
use rummage_core::Moment;
use rummage_core::crawl::Response;
use rummage_core::evidence::{Attempt, AttemptOutcome, Method};
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::extract::reading::{Format, LinkRecord, Reading, ReadingBuilder};
use rusqlite::{Connection, params};

use crate::codec;
use crate::codec::{entries, occurrences};
use crate::db::error::StoreError;
use crate::model::{RunInfo, RunKind};
use crate::read::reader::Reader;
use crate::tables::link_contents::LinkContents;
use crate::tables::outcomes;

/// What is stored of a page apart from its links.
struct Page {
    title: Option<String>,
    base: Option<String>,
    cut: bool,
    occurrences: Vec<u8>,
    links: Vec<u8>,
    format: String,
    encoding: String,
    faulty: bool,
    scripted: bool,
    sketch: Option<Vec<u8>>,
    rules: Option<String>,
    description: Option<String>,
}

/// A reading without links and anchors.
fn builder(page: &Page) -> Result<ReadingBuilder, StoreError> {
    let damaged = |what: &str| StoreError::Damaged(format!("{what} is unknown"));
    let mut builder = ReadingBuilder::default();
    builder.set_format(Format::named(&page.format).ok_or_else(|| damaged(&page.format))?);
    let encoding = Encoding::for_label(page.encoding.as_bytes());
    builder.set_encoding(encoding.ok_or_else(|| damaged(&page.encoding))?);
    if let Some(base) = &page.base {
        builder.set_base(base);
    }
    if let Some(title) = &page.title {
        builder.set_title(title);
    }
    if let Some(description) = &page.description {
        builder.set_description(description);
    }
    if let Some(rules) = &page.rules {
        builder.set_rules(rules);
    }
    if page.faulty {
        builder.set_faulty();
    }
    if page.scripted {
        builder.set_scripted();
    }
    builder.set_sketch(page.sketch.as_deref().and_then(codec::unpack_sketch));
    Ok(builder)
}

/// A cache of URL texts: menus have the same ones on every page.
#[derive(Debug, Default)]
pub(crate) struct Urls(HashMap<u32, Box<str>>);

impl Urls {
    fn url(&mut self, db: &Connection, url: u32) -> Result<&str, StoreError> {
        /// How many texts are kept: some megabytes.
        const MOST: usize = 50_000;
        if self.0.len() >= MOST && !self.0.contains_key(&url) {
            self.0.clear();
        }
        match self.0.entry(url) {
            Entry::Occupied(known) => Ok(known.into_mut()),
            Entry::Vacant(new) => {
                let url: String = db
                    .prepare_cached("SELECT url FROM address WHERE id = ?1")?
                    .query_row([url], |row| row.get(0))?;
                Ok(new.insert(url.into()))
            }
        }
    }
}

impl Reader {
    /// The last unfinished run of a site.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished(&self) -> Result<RunInfo, StoreError> {
        self.all_unfinished()?.into_iter().next().ok_or(StoreError::NothingToResume)
    }

    /// The last unfinished run over lists, and the lists that it had read.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished_probe(&self) -> Result<(RunInfo, Vec<String>), StoreError> {
        let run = self.last_unfinished(RunKind::Probe)?;
        let mut select = self.db.prepare(
            "SELECT url FROM run_page JOIN address ON address.id = run_page.address
             WHERE run = ?1 AND url LIKE 'file:%' ORDER BY url",
        )?;
        let lists = select.query_map([run.number], |row| row.get(0))?;
        let lists = lists.collect::<Result<Vec<String>, _>>()?;
        Ok((run, lists))
    }

    /// The last unfinished check of single pages.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn unfinished_page(&self) -> Result<RunInfo, StoreError> {
        self.last_unfinished(RunKind::Page)
    }

    fn last_unfinished(&self, kind: RunKind) -> Result<RunInfo, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id FROM run WHERE state IN ('going', 'stopped') AND kind = ?1
             ORDER BY id DESC LIMIT 1",
        )?;
        let number = select.query_map([kind.as_str()], |row| row.get(0))?.next().transpose()?;
        self.run(number.ok_or(StoreError::NothingToResume)?)
    }

    /// The unfinished runs of sites, the last one first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn all_unfinished(&self) -> Result<Vec<RunInfo>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT id FROM run WHERE state IN ('going', 'stopped')
             AND kind IN ('crawl', 'recheck') ORDER BY id DESC",
        )?;
        let numbers = select.query_map([], |row| row.get(0))?.collect::<Result<Vec<i64>, _>>()?;
        numbers.into_iter().map(|number| self.run(number)).collect()
    }

    /// Calls `take` with each response of a run and its URL, in the order in which they arrived.
    ///
    /// # Errors
    /// See [`StoreError`]; also those of `take`.
    pub fn for_each_reply(
        &self,
        run: i64,
        mut take: impl FnMut(&str, Response) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let mut select = self.db.prepare("SELECT address, version FROM run_page WHERE run = ?1")?;
        let versions: HashMap<u32, u32> = select
            .query_map([run], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<Result<_, _>>()?;
        let contents = LinkContents::of_store(&self.db)?;
        let mut urls = Urls::default();
        let mut url = self.db.prepare("SELECT url FROM address WHERE id = ?1")?;
        let mut select =
            self.db.prepare("SELECT entries FROM asked WHERE run = ?1 ORDER BY seq")?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            for entry in entries::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()) {
                let Some(request) = entry.request else { continue };
                let url: String = url.query_row([entry.url], |row| row.get(0))?;
                let (outcome, title) = outcomes::read(&self.db, request.outcome)?;
                // A page belongs to the last attempt that returned one; earlier ones returned
                // none.
                let may_have_page = request.method == Method::Get
                    && request.hop.is_none()
                    && !request.purpose.is_side()
                    && matches!(&outcome, AttemptOutcome::Response(answer) if answer.is_success());
                let version = versions.get(&entry.url).filter(|_| may_have_page);
                let reading = match version {
                    Some(version) => Some(self.reading(*version, &contents, &mut urls)?),
                    None => title.as_deref().map(Reading::of_title),
                };
                let attempt = Attempt {
                    at: Moment::from_micros(request.at_us),
                    took: Duration::from_micros(request.took_us),
                    method: request.method,
                    outcome,
                    hop: request.hop,
                    strained: request.strained,
                    purpose: request.purpose,
                };
                take(&url, Response { attempt, reading })?;
            }
        }
        Ok(())
    }

    pub(crate) fn reading(
        &self,
        version: u32,
        contents: &LinkContents<'_>,
        urls: &mut Urls,
    ) -> Result<Reading, StoreError> {
        let mut select = self.db.prepare_cached(
            "SELECT title, base, cut, places, links, format, encoding, faulty, scripted, sketch,
                    rules, description
             FROM page_version WHERE id = ?1",
        )?;
        let page = select.query_row(params![version], |row| {
            Ok(Page {
                title: row.get(0)?,
                base: row.get(1)?,
                cut: row.get(2)?,
                occurrences: row.get(3)?,
                links: row.get(4)?,
                format: row.get(5)?,
                encoding: row.get(6)?,
                faulty: row.get(7)?,
                scripted: row.get(8)?,
                sketch: row.get(9)?,
                rules: row.get(10)?,
                description: row.get(11)?,
            })
        })?;
        let Page { occurrences, links, cut, .. } = &page;
        let mut builder = builder(&page)?;
        for hash in occurrences.chunks_exact(8) {
            builder.add_anchor(u64::from_le_bytes(hash.try_into().expect("eight bytes")));
        }
        for occurrence in occurrences::unpack(links) {
            let url = urls.url(&self.db, contents.target(occurrence.content)?)?;
            contents.with(occurrence.content, |said| {
                let unknown =
                    |name: &str| StoreError::Damaged(format!("no link is possible in {name}"));
                let element = Element::named(said.element).ok_or_else(|| unknown(said.element))?;
                let attribute =
                    Attribute::named(said.attribute).ok_or_else(|| unknown(said.attribute))?;
                let link = LinkRecord {
                    element,
                    attribute,
                    written: builder.keep(said.written.text(url)),
                    text: said.text.map(|text| builder.keep(text)),
                    rel: said.rel.map(|rel| builder.keep(rel)),
                    title: said.title.map(|title| builder.keep(title)),
                    region: said.region,
                    ancestor_hash: said.ancestor_hash,
                    scripted: said.scripted,
                    line: occurrence.line,
                    column: occurrence.column,
                };
                builder.add_link(link);
                Ok::<_, StoreError>(())
            })??;
        }
        Ok(builder.finish(*cut))
    }
}
