//! The targets of a run that need fixing, with what the run knows of them.

use std::collections::HashMap;

use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::Selection;
use rummage_core::mend::Fault;
use rummage_core::mend::known::{KnownUrl, KnownUrls};
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkQuery, LinkRow, OpenRun, StoreError, StoredUrl};

/// How many links to a target are looked at; the others are only counted.
const LOOKED_AT: u64 = 24;

/// A target that needs fixing.
#[derive(Debug, Clone)]
pub(super) struct Faulty {
    pub(super) fault: Fault,
    /// The page and fragment, if only the anchor is missing.
    pub(super) anchor: Option<(String, String)>,
    /// How many links lead to it; of what visitors requested, how often they did.
    pub(super) places: u64,
    /// A page of the site links to it.
    pub(super) is_linked: bool,
}

/// The URLs that the run found to work.
pub(super) fn known(run: &OpenRun<'_>) -> Result<KnownUrls, StoreError> {
    let sound = run.sound_urls()?.into_iter();
    let known = sound.map(|one| KnownUrl {
        url: one.url,
        texts: one.title.into_iter().chain(one.texts).collect(),
    });
    Ok(KnownUrls::new(known.collect()))
}

/// The targets that the selection takes. Of doubtful ones, without `doubtful`, only those whose
/// page is not there: for others, the link may be right.
pub(super) fn of(
    run: &OpenRun<'_>,
    selection: &Selection,
    doubtful: bool,
) -> Result<Vec<Faulty>, StoreError> {
    of_query(&run.query(selection)?, doubtful)
}

/// The targets of a query.
pub(super) fn of_query(query: &LinkQuery<'_>, doubtful: bool) -> Result<Vec<Faulty>, StoreError> {
    let mut found: Vec<Faulty> = Vec::new();
    let mut positions: HashMap<TargetIdentity<StoredUrl>, usize> = HashMap::new();
    query.for_each(|link| {
        let needs_nothing = matches!(link.verdict, Verdict::Sound | Verdict::Skipped);
        let is_unlikely = matches!(link.cause, Some(Cause::Placeholder | Cause::Unconfirmed))
            || link.verdict == Verdict::Doubtful
                && !doubtful
                && !matches!(link.cause, Some(Cause::Soft404 | Cause::RedirectedHome));
        if needs_nothing || is_unlikely || link.waived {
            return Ok(());
        }
        let at = *positions.entry(query.identity(link)?).or_insert(found.len());
        match found.get_mut(at) {
            Some(one) if one.places >= LOOKED_AT => one.places += 1,
            Some(one) => {
                one.places += 1;
                add(&mut one.fault, &query.row(link)?);
            }
            None => found.push(first(&query.row(link)?)),
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(found)
}

fn first(row: &LinkRow) -> Faulty {
    let lacks_anchor = row.outcome.cause == Some(Cause::NoSuchFragment);
    let target = if lacks_anchor { row.full_target() } else { row.url.clone() };
    let fault = Fault {
        target,
        cause: row.outcome.cause,
        is_internal: row.outcome.scope == Some(Scope::Internal),
        is_image: is_image(row),
        texts: row.text.iter().filter(|text| !text.is_empty()).cloned().collect(),
        moved_to: row.outcome.moved_to.clone().filter(|_| row.outcome.verdict == Verdict::Moved),
    };
    let fragment = row.fragment.clone().filter(|_| lacks_anchor);
    let anchor = fragment.map(|fragment| (row.url.clone(), fragment));
    Faulty { fault, anchor, places: 1, is_linked: true }
}

/// Adds what another link to the target shows.
fn add(fault: &mut Fault, row: &LinkRow) {
    fault.is_image &= is_image(row);
    if let Some(text) = row.text.as_ref().filter(|text| !text.is_empty())
        && !fault.texts.contains(text)
    {
        fault.texts.push(text.clone());
    }
}

fn is_image(row: &LinkRow) -> bool {
    matches!(row.element.as_str(), "img" | "source" | "image")
}
