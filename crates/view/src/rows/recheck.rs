//! Rechecked targets as JSON Lines: an object for each URL, before and after.

use std::io::Write;

use rummage_store::{OpenRun, Outcome, StoredUrl};
use serde_json::{Value, json};

use crate::ViewError;
use crate::safe::write_json;
use crate::text::RecheckedUrl;

/// Writes an object for each target of a recheck: `target`, `before`, `after` (each with
/// `verdict`, `cause`, `status`, `final`, `checked_at`; `null` if unknown, or if no page links to
/// it any more), `links_before`, `links_after`.
///
/// # Errors
/// See [`ViewError`].
pub fn recheck_rows(
    out: &mut dyn Write,
    before: &OpenRun<'_>,
    after: &OpenRun<'_>,
    targets: &[StoredUrl],
) -> Result<(), ViewError> {
    for url in RecheckedUrl::all(before, after, targets)? {
        let row = json!({
            "target": url.url,
            "before": url.before.as_ref().map(outcome),
            "after": url.after.as_ref().map(outcome),
            "links_before": url.links.0,
            "links_after": url.links.1,
        });
        write_json(out, &row)?;
        out.write_all(b"\n")?;
    }
    Ok(())
}

fn outcome(outcome: &Outcome) -> Value {
    json!({
        "verdict": outcome.verdict.as_str(),
        "cause": outcome.cause.map(|cause| cause.as_str()),
        "status": outcome.status,
        "final": outcome.last,
        "checked_at": outcome.checked_at.map(|at| at.to_string()),
    })
}
