//! What a store holds already, so that facts stand in it once.
//!
//! Looked up by hash, in memory: asking SQLite for each link would cost as much as
//! reading its page.

use rummage_core::hashed::HashedMap;
use rusqlite::Connection;
use xxhash_rust::xxh3::{Xxh3, xxh3_128};

use crate::StoreError;

/// What the store holds already, by hash.
#[derive(Debug, Default)]
pub(crate) struct Known {
    pub(crate) addresses: Ids,
    pub(crate) marks: Ids,
    pub(crate) versions: Ids,
}

pub(crate) type Ids = HashedMap<i64>;

impl Known {
    pub(crate) fn load(db: &Connection) -> Result<Known, StoreError> {
        let mut known = Known::default();
        let mut select = db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let url = row.get_ref(1)?.as_bytes().unwrap_or_default();
            known.addresses.insert(xxh3_128(url), row.get(0)?);
        }
        let mut select = db.prepare(
            "SELECT id, target, element, attribute, written, fragment, text, rel, region,
                    CASE WHEN scripted THEN 'scripted' END
             FROM mark",
        )?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let mut texts = [None; 8];
            for (place, text) in texts.iter_mut().enumerate() {
                *text = row.get_ref(place + 2)?.as_str_or_null().unwrap_or_default();
            }
            known.marks.insert(mark_key(row.get(1)?, texts), row.get(0)?);
        }
        let mut select = db.prepare("SELECT id, address, hash FROM page_version")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let hash = row.get_ref(2)?.as_bytes().unwrap_or_default();
            known.versions.insert(version_key(row.get(1)?, hash), row.get(0)?);
        }
        Ok(known)
    }
}

/// Ids are given out one after the other, and nothing is ever deleted.
pub(crate) fn next_id(known: &Ids) -> i64 {
    i64::try_from(known.len()).expect("rows fit into an i64") + 1
}

pub(crate) fn version_key(address: i64, hash: &[u8]) -> u128 {
    let mut key = Xxh3::new();
    key.update(&address.to_le_bytes());
    key.update(hash);
    key.digest128()
}

pub(crate) fn mark_key(target: i64, texts: [Option<&str>; 8]) -> u128 {
    let mut key = Xxh3::new();
    key.update(&target.to_le_bytes());
    for text in texts {
        // A length before each text, so that no two lists run together alike.
        let length = text.map_or(u64::MAX, |text| text.len() as u64);
        key.update(&length.to_le_bytes());
        key.update(text.unwrap_or_default().as_bytes());
    }
    key.digest128()
}
