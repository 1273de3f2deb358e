//! The texts of URLs, cached.

use std::collections::hash_map::Entry;

use rummage_core::url::hashed::Numbered;
use rusqlite::Connection;

use crate::db::error::StoreError;

/// How many bytes of texts are kept.
const MOST: usize = 8 << 20;

/// A cache of URL texts: many pages have links to the same ones.
#[derive(Debug, Default)]
pub(crate) struct UrlTexts {
    texts: Numbered<Box<str>>,
    bytes: usize,
}

impl UrlTexts {
    pub(crate) fn text(&mut self, db: &Connection, url: u32) -> Result<&str, StoreError> {
        if self.bytes > MOST {
            self.texts.clear();
            self.bytes = 0;
        }
        match self.texts.entry(url) {
            Entry::Occupied(known) => Ok(known.into_mut()),
            Entry::Vacant(new) => {
                let text: String = db
                    .prepare_cached("SELECT url FROM address WHERE id = ?1")?
                    .query_row([url], |row| row.get(0))?;
                self.bytes += text.len() + 2 * size_of::<Box<str>>();
                Ok(new.insert(text.into()))
            }
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::db::connection::in_memory;

    /// A hostile site has URLs of any length.
    #[test]
    fn long_texts_do_not_fill_the_memory() {
        let db = in_memory();
        let mut texts = UrlTexts::default();
        for id in 1..=9 {
            let url = format!("http://a.test/{}", "x".repeat(MOST / 4 + id));
            db.execute("INSERT INTO address VALUES (?1, ?2)", (id, &url)).unwrap();
            assert_eq!(texts.text(&db, u32::try_from(id).unwrap()).unwrap(), url);
            assert!(texts.texts.len() <= 5, "{}", texts.texts.len());
        }
        assert!(matches!(texts.text(&db, 10), Err(StoreError::Sql(_))));
    }
}
