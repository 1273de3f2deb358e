//! What was asked again as JSON Lines: an object for each address, as it was and as it is.

use std::io::Write;

use rummage_store::{Address, OpenRun, Outcome};
use serde_json::{Value, json};

use crate::ViewError;
use crate::text::Asked;

/// Writes an object for each target of a recheck: `target`, `before`, `after` (`verdict`,
/// `cause`, `status`, `final`, `checked_at`; `null` where nothing is known or no page
/// names it any more), `links_before`, `links_after`.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn recheck_rows(
    out: &mut dyn Write,
    before: &OpenRun<'_>,
    after: &OpenRun<'_>,
    targets: &[Address],
) -> Result<(), ViewError> {
    for target in targets {
        let asked = Asked::of(before, after, *target)?;
        let row = json!({
            "target": asked.url,
            "before": asked.before.as_ref().map(outcome),
            "after": asked.after.as_ref().map(outcome),
            "links_before": asked.links.0,
            "links_after": asked.links.1,
        });
        serde_json::to_writer(&mut *out, &row).map_err(std::io::Error::from)?;
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
