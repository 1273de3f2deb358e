//! A schedule as JSON Lines: an object for each URL, in order of time.

use std::io::Write;

use jiff::Timestamp;
use rummage_store::OpenRun;
use serde_json::json;

use crate::ViewError;
use crate::safe::write_json;
use crate::text::Plan;

/// Writes an object for each URL of a schedule: `target`, `at`, `due` (RFC 3339, UTC), `why`,
/// `verdict`, `cause`, `checked_at`, `times`.
///
/// # Errors
/// See [`ViewError`].
pub fn schedule_rows(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    plan: &Plan,
    limit: Option<usize>,
) -> Result<(), ViewError> {
    let time = |seconds| Timestamp::from_second(seconds).unwrap_or(Timestamp::MAX).to_string();
    for one in plan.planned.iter().take(limit.unwrap_or(usize::MAX)) {
        let said = run.verdict(one.url);
        let row = json!({
            "target": run.url(one.url)?,
            "at": time(one.at),
            "due": time(one.due),
            "why": one.reason.as_str(),
            "verdict": said.map(|(verdict, _)| verdict.as_str()),
            "cause": said.and_then(|(_, cause)| cause).map(|cause| cause.as_str()),
            "checked_at": time(one.checked_at),
            "times": one.times,
        });
        write_json(out, &row)?;
        out.write_all(b"\n")?;
    }
    Ok(())
}
