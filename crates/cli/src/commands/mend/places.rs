//! The links of a run that a plan concerns.

use std::collections::HashSet;

use rummage_core::findings::selection::Selection;
use rummage_core::mend::plan::{Plan, Rule, Step};
use rummage_store::{LinkRow, OpenRun, StoreError, StoredUrl};

/// A link that the plan concerns.
pub(super) struct Place {
    pub(super) row: LinkRow,
    /// The target as the plan names it, or as the rule covers it.
    pub(super) target: String,
    pub(super) step: Step,
}

/// The links of a run that the plan concerns, in the order of their pages.
pub(super) fn of(run: &OpenRun<'_>, plan: &Plan) -> Result<Vec<Place>, StoreError> {
    let targets = plan.mends().iter().map(|mend| mend.target.as_str());
    let named = targets.flat_map(|target| [target, target.split('#').next().unwrap_or_default()]);
    let mut urls: HashSet<StoredUrl> = run.named(&named.collect())?.into_iter().collect();
    for rule in plan.rules() {
        urls.extend(covered(run, rule)?.into_iter().map(|(url, _)| url));
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

/// The URLs of a run that a rule covers.
pub(super) fn covered(
    run: &OpenRun<'_>,
    rule: &Rule,
) -> Result<Vec<(StoredUrl, String)>, StoreError> {
    let prefix = rule.from.split('*').next().unwrap_or_default();
    let found = run.starting_with(prefix)?.into_iter();
    Ok(found.filter(|(_, url)| rule.rewrite(url).is_some()).collect())
}
