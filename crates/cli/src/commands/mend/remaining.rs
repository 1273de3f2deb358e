//! The links that a plan concerns and that were not changed, for fixing by hand.

use rummage_core::mend::plan::{Action, Plan};
use rummage_core::mend::rewrite::ByHand;
use rummage_core::url::scope::Bounds;
use rummage_store::{Reader, RunInfo};
use rummage_view::{counted, safe};
use url::Url;

use super::places::{self, Place};
use crate::failure::Failure;
use crate::session::Session;

/// How many are listed.
const LISTED: usize = 40;

/// A link that was not changed.
pub(super) struct Remaining {
    page: String,
    line: u32,
    target: String,
    text: Option<String>,
    why: String,
}

impl Remaining {
    /// A link in a source that cannot be edited safely.
    pub(super) fn in_source(name: &str, one: &ByHand) -> Remaining {
        Remaining {
            page: name.to_owned(),
            line: one.line,
            target: one.target.clone(),
            text: one.text.clone(),
            why: one.why.to_owned(),
        }
    }

    fn shown(&self) -> String {
        let line = if self.line > 0 { format!(":{}", self.line) } else { String::new() };
        let text = self.text.as_ref().filter(|text| !text.is_empty());
        let text = text.map_or_else(String::new, |text| format!("  \"{}\"", safe(text)));
        format!("  {}{line}  {}{text}  ({})", safe(&self.page), safe(&self.target), self.why)
    }
}

/// The links of the last run of a site that the plan would edit, and that were not found:
/// `is_found` gets the URL of the page and the target.
pub(super) fn not_found(
    session: &Session,
    site: &Url,
    plan: &Plan,
    is_found: impl Fn(&str, &str) -> bool,
    why: &str,
) -> Result<Vec<Remaining>, Failure> {
    if !session.store.exists() {
        return Ok(Vec::new());
    }
    let reader = Reader::open(&session.store)?;
    let runs = reader.runs()?.into_iter().rev();
    let bounds = Bounds::around(site, &[]);
    let same = |run: &RunInfo| {
        run.state.is_complete() && Url::parse(&run.start).is_ok_and(|start| bounds.is_own(&start))
    };
    let Some(run) = runs.into_iter().find(same) else { return Ok(Vec::new()) };
    let run = reader.open_run(run)?;
    let edits = |place: &Place| {
        matches!(place.step.action, Action::Replace | Action::Unwrap | Action::Drop)
            && place.step.to.as_ref() != Some(&place.target)
    };
    let places = places::of(&run, plan)?.into_iter();
    let left = places.filter(|place| edits(place) && !is_found(&place.row.page, &place.target));
    Ok(left
        .map(|place| Remaining {
            page: place.row.page,
            line: place.row.line,
            target: place.target,
            text: place.row.text,
            why: why.to_owned(),
        })
        .collect())
}

/// The links as lines of output.
pub(super) fn lines(all: &[Remaining]) -> Vec<String> {
    if all.is_empty() {
        return Vec::new();
    }
    let mut lines = vec![format!("{} to fix by hand:", counted(all.len() as u64, "link", "links"))];
    lines.extend(all.iter().take(LISTED).map(Remaining::shown));
    if all.len() > LISTED {
        lines.push(format!("  and {} more", all.len() - LISTED));
    }
    lines
}
