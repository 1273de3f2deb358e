//! What to request again so that a target gets a new verdict.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::selection::Selection;

use crate::db::error::StoreError;
use crate::model::StoredUrl;
use crate::read::open::OpenRun;

impl OpenRun<'_> {
    /// The URLs to request so that these targets get new verdicts: the targets, the URLs they
    /// redirect to, and the pages that link to them, since links may have been removed; for each
    /// target the first `pages` by rank.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn to_recheck(
        &self,
        targets: &[StoredUrl],
        pages: u32,
    ) -> Result<HashSet<String>, StoreError> {
        let mut again = HashSet::new();
        for target in targets {
            again.insert(self.url(*target)?);
            again.extend(self.way(*target)?.into_iter().map(|hop| hop.url));
        }
        let wanted: HashSet<StoredUrl> = targets.iter().copied().collect();
        let selection = Selection::all();
        let query = self.query_to_any(&wanted, &selection)?;
        let mut carried: HashMap<u32, (u32, u32)> = HashMap::new();
        let mut carrying = HashSet::new();
        query.for_each(|found| {
            let (count, last) = carried.entry(found.target.0).or_insert((0, u32::MAX));
            if *last != found.page && *count < pages {
                (*count, *last) = (*count + 1, found.page);
                carrying.insert(self.page_at(found.page));
            }
            Ok::<_, StoreError>(())
        })?;
        for page in carrying {
            again.insert(self.url(page)?);
        }
        Ok(again)
    }
}
