//! Restores pages as they were when they were parsed.
//!
//! Half of the links of a page are those of its menus, which other pages have too: these are kept
//! ready, so that each is unpacked once, and what has followed each other twice is one part.

use std::collections::HashMap;

use encoding_rs::Encoding;
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::extract::reading::{Format, LinkRecord, Reading, Span};
use rummage_core::extract::reading_builder::{Excerpt, ReadingBuilder};
use rummage_core::url::hashed::{HashedMap, Key, Numbered, Recent};
use rusqlite::{Connection, params};
use xxhash_rust::xxh3::xxh3_64;

use crate::codec;
use crate::codec::contents::{self, LinkContent, Written};
use crate::codec::occurrences::{self, Occurrence};
use crate::db::error::StoreError;
use crate::read::url_texts::UrlTexts;

/// How many bytes of links are kept ready, and of parts.
const BYTES_READY: usize = 16 << 20;
/// So many sequences of links are remembered at least, to find those that occur again.
const SEQUENCES: usize = 20_000;
/// Shorter ones are not looked for.
const SHORTEST: usize = 4;

/// Restores the pages of a store.
#[derive(Debug)]
pub(crate) struct Restorer {
    elements: HashMap<u32, Element>,
    attributes: HashMap<u32, Attribute>,
    ready: Numbered<Ready>,
    bytes_ready: usize,
    /// Sequences of links that have occurred, by hash.
    occurred: Recent,
    /// Those that have occurred twice.
    parts: HashedMap<Part>,
    bytes_of_parts: usize,
    /// The links that were first seen on one page.
    row: Row,
    urls: UrlTexts,
}

/// The links that were first seen on one page, packed.
#[derive(Debug, Default)]
struct Row {
    first: u32,
    says: Vec<u8>,
    starts: Vec<u32>,
    targets: Vec<u32>,
}

/// A link without its place. The spans are relative to its texts.
#[derive(Debug)]
struct Ready {
    link: LinkRecord,
    texts: String,
}

/// Links that follow each other on several pages.
#[derive(Debug)]
struct Part {
    contents: Box<[u32]>,
    excerpt: Excerpt,
}

/// What is stored of a page apart from its links.
struct Page {
    hash: Vec<u8>,
    title: Option<String>,
    base: Option<String>,
    cut: bool,
    anchors: Vec<u8>,
    links: Vec<u8>,
    format: String,
    encoding: String,
    faulty: bool,
    scripted: bool,
    sketch: Option<Vec<u8>>,
    rules: Option<String>,
    description: Option<String>,
}

impl Restorer {
    pub(crate) fn new(db: &Connection) -> Result<Restorer, StoreError> {
        let (mut elements, mut attributes) = (HashMap::new(), HashMap::new());
        let mut select = db.prepare("SELECT id, text FROM word")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let (id, word): (u32, String) = (row.get(0)?, row.get(1)?);
            elements.extend(Element::named(&word).map(|element| (id, element)));
            attributes.extend(Attribute::named(&word).map(|attribute| (id, attribute)));
        }
        Ok(Restorer {
            elements,
            attributes,
            ready: Numbered::default(),
            bytes_ready: 0,
            occurred: Recent::holding(SEQUENCES),
            parts: HashedMap::default(),
            bytes_of_parts: 0,
            row: Row::default(),
            urls: UrlTexts::default(),
        })
    }

    /// The page with this version.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) fn reading(&mut self, db: &Connection, version: u32) -> Result<Reading, StoreError> {
        let page = Page::of(db, version)?;
        let mut builder = page.builder()?;
        let all: Vec<_> = occurrences::unpack(&page.links).collect();
        // A link that is new on a page has a higher number than those of all pages before.
        let newest = all.iter().map(|it: &Occurrence| it.content).max().unwrap_or_default();
        if !all.is_empty() && !self.row.has(newest) {
            self.row = Row::with(db, newest)?;
        }
        let own = self.row.first;
        for links in all.chunk_by(|one, next| (one.content < own) == (next.content < own)) {
            if links[0].content < own {
                self.add_shared(db, &mut builder, links)?;
                continue;
            }
            for Occurrence { content, line, column } in links {
                let link = self.unpack(db, *content, |text| builder.keep(text))?;
                builder.add_link(LinkRecord { line: *line, column: *column, ..link });
            }
        }
        Ok(builder.finish(page.cut))
    }

    /// Adds links that other pages have too.
    fn add_shared(
        &mut self,
        db: &Connection,
        builder: &mut ReadingBuilder,
        links: &[Occurrence],
    ) -> Result<(), StoreError> {
        let contents = links.iter().map(|link| link.content);
        let bytes: Vec<u8> = contents.clone().flat_map(u32::to_le_bytes).collect();
        let hash = xxh3_64(&bytes);
        if let Some(part) = self.parts.get(&hash)
            && contents.clone().eq(part.contents.iter().copied())
        {
            let positions = links.iter().map(|link| (link.line, link.column));
            if builder.add_excerpt_at(&part.excerpt, positions) {
                return Ok(());
            }
        }
        let mark = builder.mark();
        for Occurrence { content, line, column } in links {
            if !self.ready.contains_key(content) {
                self.make_ready(db, *content)?;
            }
            let Ready { link, texts } = &self.ready[content];
            let (line, column) = (*line, *column);
            builder.add_link_with_texts(LinkRecord { line, column, ..*link }, texts);
        }
        if links.len() >= SHORTEST
            && !self.occurred.insert(Key::of_hash(hash))
            && let Some(excerpt) = builder.since(mark)
        {
            self.keep_part(hash, Part { contents: contents.collect(), excerpt });
        }
        Ok(())
    }

    fn keep_part(&mut self, hash: u64, part: Part) {
        if self.bytes_of_parts > BYTES_READY {
            self.parts.clear();
            self.bytes_of_parts = 0;
        }
        self.bytes_of_parts += part.excerpt.weight() + size_of_val(&*part.contents);
        self.parts.insert(hash, part);
    }

    fn make_ready(&mut self, db: &Connection, content: u32) -> Result<(), StoreError> {
        let mut texts = String::new();
        let link = self.unpack(db, content, |text| {
            let span = Span::new(texts.len(), text.len());
            texts.push_str(text);
            span
        })?;
        if self.bytes_ready > BYTES_READY {
            self.ready.clear();
            self.bytes_ready = 0;
        }
        self.bytes_ready += texts.len() + 2 * size_of::<Ready>();
        self.ready.insert(content, Ready { link, texts });
        Ok(())
    }

    /// Unpacks a link, and passes its texts to `keep`.
    fn unpack(
        &mut self,
        db: &Connection,
        content: u32,
        mut keep: impl FnMut(&str) -> Span,
    ) -> Result<LinkRecord, StoreError> {
        if !self.row.has(content) {
            self.row = Row::with(db, content)?;
        }
        let missing = || StoreError::Damaged(format!("link contents {content} are missing"));
        let (said, target) = self.row.said(content).ok_or_else(missing)?;
        let unknown = |word: u32| StoreError::Damaged(format!("no link is possible in {word}"));
        let element = self.elements.get(&said.element).copied();
        let attribute = self.attributes.get(&said.attribute).copied();
        Ok(LinkRecord {
            element: element.ok_or_else(|| unknown(said.element))?,
            attribute: attribute.ok_or_else(|| unknown(said.attribute))?,
            written: match said.written {
                Written::Other(text) => keep(text),
                written => keep(written.text(self.urls.text(db, target)?)),
            },
            text: said.text.map(&mut keep),
            rel: said.rel.map(&mut keep),
            title: said.title.map(&mut keep),
            region: said.region,
            ancestor_hash: said.ancestor_hash,
            scripted: said.scripted,
            line: 0,
            column: 0,
        })
    }
}

impl Row {
    fn has(&self, content: u32) -> bool {
        content >= self.first && ((content - self.first) as usize) < self.starts.len()
    }

    /// The row with this link.
    fn with(db: &Connection, content: u32) -> Result<Row, StoreError> {
        let (first, says, targets): (u32, Vec<u8>, Vec<u8>) = db
            .prepare_cached(
                "SELECT first, says, targets FROM mark JOIN mark_text USING (first)
                 WHERE first <= ?1 ORDER BY first DESC LIMIT 1",
            )?
            .query_row([content], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?;
        let starts = contents::starts(&says);
        Ok(Row { first, says, starts, targets: contents::targets(&targets).collect() })
    }

    /// The contents of a link, and its target.
    fn said(&self, content: u32) -> Option<(LinkContent<'_>, u32)> {
        let at = content.checked_sub(self.first)? as usize;
        let said = contents::unpack_content(&self.says[*self.starts.get(at)? as usize..])?;
        Some((said, *self.targets.get(at)?))
    }
}

impl Page {
    fn of(db: &Connection, version: u32) -> Result<Page, StoreError> {
        let mut select = db.prepare_cached(
            "SELECT hash, title, base, cut, places, links, format, encoding, faulty, scripted,
                    sketch, rules, description
             FROM page_version WHERE id = ?1",
        )?;
        Ok(select.query_row(params![version], |row| {
            Ok(Page {
                hash: row.get(0)?,
                title: row.get(1)?,
                base: row.get(2)?,
                cut: row.get(3)?,
                anchors: row.get(4)?,
                links: row.get(5)?,
                format: row.get(6)?,
                encoding: row.get(7)?,
                faulty: row.get(8)?,
                scripted: row.get(9)?,
                sketch: row.get(10)?,
                rules: row.get(11)?,
                description: row.get(12)?,
            })
        })?)
    }

    /// A reading without links.
    fn builder(&self) -> Result<ReadingBuilder, StoreError> {
        let damaged = |what: &str| StoreError::Damaged(format!("{what} is unknown"));
        let mut builder = ReadingBuilder::default();
        builder.set_format(Format::named(&self.format).ok_or_else(|| damaged(&self.format))?);
        let encoding = Encoding::for_label(self.encoding.as_bytes());
        builder.set_encoding(encoding.ok_or_else(|| damaged(&self.encoding))?);
        if let Some(base) = &self.base {
            builder.set_base(base);
        }
        if let Some(title) = &self.title {
            builder.set_title(title);
        }
        if let Some(description) = &self.description {
            builder.set_description(description);
        }
        if let Some(rules) = &self.rules {
            builder.set_rules(rules);
        }
        if self.faulty {
            builder.set_faulty();
        }
        if self.scripted {
            builder.set_scripted();
        }
        builder.set_sketch(self.sketch.as_deref().and_then(codec::unpack_sketch));
        for anchor in self.anchors.chunks_exact(8) {
            builder.add_anchor(u64::from_le_bytes(anchor.try_into().expect("eight bytes")));
        }
        if let Ok(hash) = self.hash.as_slice().try_into() {
            builder.set_hash(u128::from_be_bytes(hash));
        }
        Ok(builder)
    }
}
