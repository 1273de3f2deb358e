//! What is needed to go on with a run that was stopped or killed.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use encoding_rs::Encoding;
use rummage_core::crawl::{AddressId, Reply};
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::reading::{Format, LinkRecord, Reading, ReadingBuilder, Region};
use rusqlite::{OptionalExtension, params};

use crate::records::RunInfo;
use crate::{Reader, StoreError, pack, reader};

/// A run that can go on.
#[derive(Debug)]
pub struct Replay {
    /// The run.
    pub run: RunInfo,
    /// The options that were given when it began, as JSON.
    pub options: String,
}

/// What a link says, as the extractor gave it.
struct Said {
    element: Element,
    attribute: Attribute,
    rel: Option<String>,
    written: String,
    text: Option<String>,
    region: Option<Region>,
    scripted: bool,
}

/// What is stored of a page beside its links.
struct Page {
    title: Option<String>,
    base: Option<String>,
    cut: bool,
    places: Vec<u8>,
    links: Vec<u8>,
    format: String,
    encoding: String,
    faulty: bool,
    scripted: bool,
    sketch: Option<Vec<u8>>,
    rules: Option<String>,
}

/// A reading with all but its links and places.
fn builder(page: &Page) -> Result<ReadingBuilder, StoreError> {
    let damaged = |what: &str| StoreError::Damaged(format!("{what} is not known"));
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
    if let Some(rules) = &page.rules {
        builder.set_rules(rules);
    }
    if page.faulty {
        builder.set_faulty();
    }
    if page.scripted {
        builder.set_scripted();
    }
    builder.set_sketch(page.sketch.as_deref().and_then(pack::unpack_sketch));
    Ok(builder)
}

impl Reader {
    /// The last of the runs that have not come to their end.
    ///
    /// # Errors
    /// When there is none, or the store cannot be read.
    pub fn unfinished(&self) -> Result<Replay, StoreError> {
        let run = self
            .db
            .query_row(
                "SELECT id FROM run WHERE state <> 'finished' ORDER BY id DESC LIMIT 1",
                [],
                |row| row.get(0),
            )
            .optional()?;
        let run = self.run(run.ok_or(StoreError::NothingToResume)?)?;
        let options =
            self.db.query_row("SELECT options FROM run WHERE id = ?1", [run.number], |row| {
                row.get(0)
            })?;
        Ok(Replay { run, options })
    }

    /// Gives each reply of a run with its address, in the order in which they came.
    ///
    /// # Errors
    /// When the store cannot be read, and whatever `take` gives.
    pub fn for_each_reply(
        &self,
        run: i64,
        mut take: impl FnMut(&str, Reply) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        // A page belongs to the last attempt that got one; earlier attempts had none.
        let mut select = self.db.prepare(
            "SELECT at_us, took_us, method, ending, url, version, hop, strained FROM attempt
             JOIN address ON address.id = attempt.address
             LEFT JOIN run_page ON run_page.run = attempt.run
                 AND run_page.address = attempt.address
                 AND method = 'GET' AND hop IS NULL
                 AND ending ->> '$.answer.status' BETWEEN 200 AND 299
             WHERE attempt.run = ?1 ORDER BY seq",
        )?;
        let mut said = HashMap::new();
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let address: String = row.get(4)?;
            let reading = match row.get::<_, Option<i64>>(5)? {
                Some(version) => Some(self.reading(version, &mut said)?),
                None => None,
            };
            let id = AddressId::from_index(0);
            take(&address, Reply { id, attempt: reader::attempt(row)?, reading })?;
        }
        Ok(())
    }

    fn reading(&self, version: i64, said: &mut HashMap<i64, Said>) -> Result<Reading, StoreError> {
        let mut select = self.db.prepare_cached(
            "SELECT title, base, cut, places, links, format, encoding, faulty, scripted, sketch,
                    rules
             FROM page_version WHERE id = ?1",
        )?;
        let page = select.query_row(params![version], |row| {
            Ok(Page {
                title: row.get(0)?,
                base: row.get(1)?,
                cut: row.get(2)?,
                places: row.get(3)?,
                links: row.get(4)?,
                format: row.get(5)?,
                encoding: row.get(6)?,
                faulty: row.get(7)?,
                scripted: row.get(8)?,
                sketch: row.get(9)?,
                rules: row.get(10)?,
            })
        })?;
        let Page { places, links, cut, .. } = &page;
        let mut builder = builder(&page)?;
        for hash in places.chunks_exact(8) {
            builder.add_place(u64::from_le_bytes(hash.try_into().expect("eight bytes")));
        }
        for place in pack::unpack(links) {
            let mark = match said.entry(place.mark) {
                Entry::Occupied(known) => known.into_mut(),
                Entry::Vacant(new) => new.insert(self.said(place.mark)?),
            };
            let link = LinkRecord {
                element: mark.element,
                attribute: mark.attribute,
                written: builder.keep(&mark.written),
                text: mark.text.as_deref().map(|text| builder.keep(text)),
                rel: mark.rel.as_deref().map(|rel| builder.keep(rel)),
                region: mark.region,
                scripted: mark.scripted,
                line: place.line,
                column: place.column,
            };
            builder.add_link(link);
        }
        Ok(builder.finish(*cut))
    }

    fn said(&self, mark: i64) -> Result<Said, StoreError> {
        let mut select = self.db.prepare_cached(
            "SELECT element, attribute, rel, written, text, region, scripted FROM mark WHERE id = ?1",
        )?;
        let texts = select.query_row([mark], |row| {
            Ok((
                row.get::<_, String>(0)?,
                row.get::<_, String>(1)?,
                row.get(2)?,
                row.get(3)?,
                row.get(4)?,
                row.get::<_, Option<String>>(5)?,
                row.get(6)?,
            ))
        })?;
        let (element, attribute, rel, written, text, region, scripted) = texts;
        let unknown = |name: &str| StoreError::Damaged(format!("no link stands in {name}"));
        Ok(Said {
            element: Element::named(&element).ok_or_else(|| unknown(&element))?,
            attribute: Attribute::named(&attribute).ok_or_else(|| unknown(&attribute))?,
            rel,
            written,
            text,
            region: region.as_deref().and_then(Region::named),
            scripted,
        })
    }
}
