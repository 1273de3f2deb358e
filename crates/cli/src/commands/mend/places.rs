//! The links of a run that a plan concerns.

use std::collections::HashSet;

use rummage_core::findings::selection::Selection;
use rummage_core::mend::plan::{Plan, Step};
use rummage_store::{LinkRow, OpenRun, StoreError, StoredUrl};

/// More URLs than any rule would cover.
const MOST: usize = 1_000_000;

/// A link that the plan concerns.
pub(super) struct Place {
    pub(super) row: LinkRow,
    /// The target as the plan names it, or as the rule covers it.
    pub(super) target: String,
    pub(super) step: Step,
}

/// The links of a run that the plan concerns, in the order of their pages.
pub(super) fn of(run: &OpenRun<'_>, plan: &Plan) -> Result<Vec<Place>, StoreError> {
    let mut urls: HashSet<StoredUrl> = HashSet::new();
    for mend in &plan.mends {
        for text in [mend.target.as_str(), mend.target.split('#').next().unwrap_or_default()] {
            let found = run.find(text, 16)?.into_iter().filter(|(_, url)| url == text);
            urls.extend(found.map(|(url, _)| url));
        }
    }
    for rule in &plan.rules {
        let prefix = rule.from.split('*').next().unwrap_or_default();
        let found = run.find(prefix, MOST)?.into_iter();
        urls.extend(found.filter(|(_, url)| rule.rewrite(url).is_some()).map(|(url, _)| url));
    }
    let selection = Selection::all();
    let mut places = Vec::new();
    if urls.is_empty() {
        return Ok(places);
    }
    let query = run.query_to_any(&urls, &selection)?;
    query.for_each(|found| {
        let row = query.row(found)?;
        let target = row.full_target();
        if let Some(step) = plan.step(&target) {
            places.push(Place { row, target, step });
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(places)
}
