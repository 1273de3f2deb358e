//! The pages that link to given URLs.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::selection::Selection;

use crate::db::error::StoreError;
use crate::model::StoredUrl;
use crate::read::open::OpenRun;

/// The links to a URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Backlinks {
    /// The number of pages with links to it.
    pub pages: u64,
    /// The first page, and the line and column of the first link on it.
    pub first: (String, u32, u32),
}

impl OpenRun<'_> {
    /// The links to these URLs in the run; URLs without links are left out. Takes one pass over
    /// the pages.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn carried(
        &self,
        urls: &HashSet<String>,
    ) -> Result<HashMap<String, Backlinks>, StoreError> {
        let mut known: HashMap<StoredUrl, String> = HashMap::new();
        let mut select = self.db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let url = row.get_ref(1)?.as_str().unwrap_or_default();
            if urls.contains(url) {
                known.insert(StoredUrl(row.get(0)?), url.to_owned());
            }
        }
        let wanted: HashSet<StoredUrl> = known.keys().copied().collect();
        let mut found: HashMap<StoredUrl, (u64, u32, u32, u32, u32)> = HashMap::new();
        let selection = Selection::all();
        let query = self.query_to_any(&wanted, &selection)?;
        query.for_each(|one| {
            let occurrence = (one.page, one.line, one.column);
            let entry = found.entry(one.target).or_insert((
                0,
                occurrence.0,
                occurrence.1,
                occurrence.2,
                u32::MAX,
            ));
            if entry.4 != one.page {
                (entry.0, entry.4) = (entry.0 + 1, one.page);
            }
            Ok::<_, StoreError>(())
        })?;
        let mut carried = HashMap::new();
        for (url, (pages, page, line, column, _)) in found {
            let first = (self.url(self.page_at(page))?, line, column);
            let url = known.remove(&url).expect("only these were queried");
            carried.insert(url, Backlinks { pages, first });
        }
        Ok(carried)
    }
}
