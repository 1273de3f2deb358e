//! What a store contains already, so that each fact is stored once.
//!
//! Looked up by hash, in memory: an SQLite query for each link would cost as much as parsing its
//! page.

use std::collections::HashMap;

use rummage_core::url::hashed::{Ids, Key, Recent};
use rusqlite::Connection;

use crate::db::error::StoreError;
use crate::tables::link_contents;

/// What the store contains already, by hash.
#[derive(Debug, Default)]
pub(crate) struct InternCache {
    /// From before the run: a crawl discovers each URL once.
    pub(crate) urls: Ids,
    /// From before the run: hardly any page is parsed twice in one.
    pub(crate) versions: Ids,
    pub(crate) words: HashMap<String, u32>,
    /// The last words that were looked up: most links are of the same element.
    pub(crate) last_words: [(&'static str, u32); 2],
    /// Recent link contents. One that was dropped is stored once more.
    pub(crate) contents: Recent,
    /// The link contents of parts that many pages have.
    pub(crate) parts: KnownParts,
    /// The first unused number for link contents.
    pub(crate) next_content: u32,
    pub(crate) next_version: u32,
    pub(crate) next_url: u32,
}

/// The link contents of parts, by their numbers.
#[derive(Debug, Default)]
pub(crate) struct KnownParts {
    contents: HashMap<u64, Box<[u32]>>,
    links: usize,
}

impl KnownParts {
    /// So many links are kept.
    const MOST_LINKS: usize = 400_000;

    pub(crate) fn get(&self, number: u64) -> Option<&[u32]> {
        self.contents.get(&number).map(|contents| &**contents)
    }

    pub(crate) fn keep(&mut self, number: u64, contents: Box<[u32]>) {
        if self.links + contents.len() > KnownParts::MOST_LINKS {
            *self = KnownParts::default();
        }
        self.links += contents.len();
        self.contents.insert(number, contents);
    }
}

impl InternCache {
    pub(crate) fn load(db: &Connection) -> Result<InternCache, StoreError> {
        let mut known = InternCache::default();
        let mut select = db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let url = row.get_ref(1)?.as_bytes().unwrap_or_default();
            known.urls.insert(Key::of_text(url), row.get(0)?);
        }
        let mut select = db.prepare("SELECT id, address, hash FROM page_version")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let hash = row.get_ref(2)?.as_bytes().unwrap_or_default();
            known.versions.insert(version_key(row.get(1)?, hash), row.get(0)?);
        }
        let mut select = db.prepare("SELECT text, id FROM word")?;
        let words = select.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?;
        known.words = words.collect::<Result<_, _>>()?;
        let next = |sql: &str| db.query_row(sql, [], |row| row.get(0));
        known.next_url = next("SELECT coalesce(max(id), 0) + 1 FROM address")?;
        known.next_version = next("SELECT coalesce(max(id), 0) + 1 FROM page_version")?;
        known.next_content = link_contents::end(db)?;
        Ok(known)
    }
}

/// Takes a number from a counter.
pub(crate) fn take(next: &mut u32) -> u32 {
    let taken = *next;
    *next = next.checked_add(1).expect("a store holds fewer than 2^32 rows of a kind");
    taken
}

pub(crate) fn version_key(url: u32, hash: &[u8]) -> Key {
    Key::of_text(&[&url.to_le_bytes(), hash].concat())
}

/// A key for several texts, some of which may be missing.
pub(crate) fn texts_key<const N: usize>(numbers: &[u32], texts: [Option<&str>; N]) -> Key {
    let length = |text: Option<&str>| text.map_or(0, str::len);
    let size = 4 * numbers.len() + 8 * N + texts.iter().map(|text| length(*text)).sum::<usize>();
    let mut hashed = Vec::with_capacity(size);
    for number in numbers {
        hashed.extend_from_slice(&number.to_le_bytes());
    }
    for text in texts {
        // The length of each text comes first, so that different lists never run together to the
        // same bytes.
        let length = text.map_or(u64::MAX, |text| text.len() as u64);
        hashed.extend_from_slice(&length.to_le_bytes());
        hashed.extend_from_slice(text.unwrap_or_default().as_bytes());
    }
    Key::of_text(&hashed)
}
