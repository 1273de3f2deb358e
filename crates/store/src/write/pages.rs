//! Parsed pages: a version of each, and its new link contents.

use std::ops::Range;

use rummage_core::crawl::{FollowedPart, Target, UrlId};
use rummage_core::extract::reading::{Link, Reading};
use rummage_core::findings::shared::fingerprint;
use rummage_core::url::hashed::Key;
use rusqlite::params;

use super::RunWriter;
use crate::codec;
use crate::codec::contents::{LinkContent, PackedLinks, Written};
use crate::codec::occurrences::{self, Occurrence};
use crate::db::error::StoreError;
use crate::tables::interning::{take, texts_key, version_key};

/// A page, and where its links lead.
struct PageLinks<'a> {
    reading: &'a Reading,
    targets: &'a [Target],
    parts: &'a [FollowedPart],
}

/// The occurrences of links on a page, and their contents that are new.
#[derive(Default)]
struct Packed {
    occurrences: Vec<Occurrence>,
    new: PackedLinks,
}

impl RunWriter {
    pub(super) fn write_page(
        &mut self,
        id: UrlId,
        reading: &Reading,
        targets: &[Target],
        parts: &[FollowedPart],
    ) -> Result<(), StoreError> {
        if self.replaying {
            return Ok(());
        }
        let url = self.ids[id.index()];
        let hash = reading.hash();
        let key = version_key(url, &hash.to_be_bytes());
        let version = match self.known.versions.get(&key) {
            Some(version) => *version,
            None => self.write_version(url, hash, &PageLinks { reading, targets, parts })?,
        };
        self.db
            .prepare_cached(
                "INSERT OR REPLACE INTO run_page (run, address, version) VALUES (?1, ?2, ?3)",
            )?
            .execute(params![self.run, url, version])?;
        Ok(())
    }

    fn write_version(
        &mut self,
        url: u32,
        hash: u128,
        page: &PageLinks<'_>,
    ) -> Result<u32, StoreError> {
        let reading = page.reading;
        let links = self.write_contents(page)?;
        let ids: Vec<u8> =
            reading.anchors().hashes().iter().flat_map(|hash| hash.to_le_bytes()).collect();
        let version = take(&mut self.known.next_version);
        self.db
            .prepare_cached(
                "INSERT INTO page_version
                     (id, address, hash, title, base, cut, places, link_count, links,
                      format, encoding, faulty, scripted, sketch, rules, description)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16)",
            )?
            .execute(params![
                version,
                url,
                hash.to_be_bytes(),
                reading.title(),
                reading.base(),
                reading.cut,
                ids,
                links.len(),
                occurrences::pack(&links),
                reading.format.as_str(),
                reading.encoding.name(),
                reading.faulty,
                reading.scripted,
                reading.sketch.map(codec::sketch),
                reading.rules(),
                reading.description(),
            ])?;
        Ok(version)
    }

    /// Stores the contents of a page's links, as far as they are new, and returns their
    /// occurrences.
    fn write_contents(&mut self, page: &PageLinks<'_>) -> Result<Vec<Occurrence>, StoreError> {
        let first = self.known.next_content;
        let mut packed = Packed::default();
        packed.occurrences.reserve(page.targets.len());
        let mut at = 0;
        for FollowedPart { links, number } in page.parts {
            self.pack(page, at..links.start, &mut packed)?;
            self.pack_part(page, links.clone(), *number, &mut packed)?;
            at = links.end;
        }
        self.pack(page, at..page.targets.len(), &mut packed)?;
        let Packed { occurrences, new } = packed;
        if new.count > 0 {
            let (targets, prints, says) = new.blobs();
            self.db
                .prepare_cached(
                    "INSERT INTO mark (first, count, targets, prints) VALUES (?1, ?2, ?3, ?4)",
                )?
                .execute(params![first, new.count, targets, prints])?;
            self.db
                .prepare_cached("INSERT INTO mark_text (first, says) VALUES (?1, ?2)")?
                .execute(params![first, says])?;
        }
        Ok(occurrences)
    }

    /// The links of a part that other pages have too.
    fn pack_part(
        &mut self,
        page: &PageLinks<'_>,
        links: Range<usize>,
        number: u64,
        packed: &mut Packed,
    ) -> Result<(), StoreError> {
        if let Some(contents) = self.known.parts.get(number) {
            let known = page.reading.links_at(links).zip(contents);
            packed.occurrences.extend(known.map(|(link, content)| Occurrence {
                content: *content,
                line: link.line,
                column: link.column,
            }));
            return Ok(());
        }
        let first = packed.occurrences.len();
        self.pack(page, links, packed)?;
        let contents = packed.occurrences[first..].iter().map(|occurrence| occurrence.content);
        self.known.parts.keep(number, contents.collect());
        Ok(())
    }

    /// The links at these positions.
    fn pack(
        &mut self,
        page: &PageLinks<'_>,
        links: Range<usize>,
        packed: &mut Packed,
    ) -> Result<(), StoreError> {
        for (link, target) in page.reading.links_at(links.clone()).zip(&page.targets[links]) {
            let url = self.ids[target.id.index()];
            let said = self.said(&link, target)?;
            let content = self.known.contents.id_or(mark_key(url, &said), self.known.next_content);
            if content == self.known.next_content {
                take(&mut self.known.next_content);
                let print = fingerprint(u64::from(url), target.fragment.as_deref(), &link);
                packed.new.add(url, print, said);
            }
            packed.occurrences.push(Occurrence { content, line: link.line, column: link.column });
        }
        Ok(())
    }

    fn said<'a>(
        &mut self,
        link: &Link<'a>,
        target: &'a Target,
    ) -> Result<LinkContent<'a>, StoreError> {
        Ok(LinkContent {
            element: self.word(0, link.element.name())?,
            attribute: self.word(1, link.attribute.name())?,
            region: link.region,
            ancestor_hash: link.ancestor_hash,
            scripted: link.scripted,
            written: self.written(link.written, target.id),
            fragment: target.fragment.as_deref(),
            text: link.text,
            rel: link.rel,
            title: link.title,
        })
    }

    /// How a reference to a URL is written: as the whole URL, its path, or any other text.
    fn written<'a>(&self, written: &'a str, target: UrlId) -> Written<'a> {
        let hash = self.hashes[target.index()];
        let is = |text: &[u8]| Key::of_text(text).short() == hash;
        if written.contains(':') && is(written.as_bytes()) {
            return Written::Whole;
        }
        // Nearly all references of this form are to the host of the start URL.
        let from_root = written.starts_with('/') && !written.starts_with("//");
        if from_root && is(&[self.origin.as_bytes(), written.as_bytes()].concat()) {
            return Written::Path;
        }
        Written::Other(written)
    }

    fn word(&mut self, place: usize, word: &'static str) -> Result<u32, StoreError> {
        if self.known.last_words[place].0 == word {
            return Ok(self.known.last_words[place].1);
        }
        let id = match self.known.words.get(word) {
            Some(id) => *id,
            None => self.add_word(word)?,
        };
        self.known.last_words[place] = (word, id);
        Ok(id)
    }

    fn add_word(&mut self, word: &str) -> Result<u32, StoreError> {
        let id = u32::try_from(self.known.words.len()).expect("a handful of words") + 1;
        self.db.execute("INSERT INTO word (id, text) VALUES (?1, ?2)", params![id, word])?;
        self.known.words.insert(word.to_owned(), id);
        Ok(id)
    }
}

fn mark_key(target: u32, said: &LinkContent<'_>) -> Key {
    let region = said.region.map_or(0, |region| region as u32 + 1);
    let from_root = u32::from(said.written == Written::Path);
    let kind = said.element << 16 | said.attribute << 1 | from_root;
    let numbers = [target, kind, said.ancestor_hash, region << 1 | u32::from(said.scripted)];
    let written = match said.written {
        Written::Whole => None,
        Written::Path => Some("/"),
        Written::Other(text) => Some(text),
    };
    texts_key(&numbers, [written, said.fragment, said.text, said.rel, said.title])
}
