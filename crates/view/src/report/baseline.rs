//! A baseline: the known targets as text, for version control.

use std::io::Write;

use rummage_core::findings::baseline::Baseline;
use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, StoreError};

use crate::ViewError;
use crate::rows::Shown;
use crate::safe::safe;
use crate::text::target;

/// The broken and doubtful targets of a run that match; waived ones are known already.
///
/// # Errors
/// See [`ViewError`].
pub fn baseline(run: &OpenRun<'_>, selection: &Selection) -> Result<Baseline, ViewError> {
    let query = run.query(selection)?;
    let mut baseline = Baseline::default();
    query.for_each(|found| {
        if !found.waived {
            let row = query.row(found)?;
            baseline.add(row.outcome.verdict, &safe(&target(&row)).to_string());
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(baseline)
}

/// Writes the baseline of a run.
pub(super) fn write(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
) -> Result<Shown, ViewError> {
    let text = baseline(run, selection)?.to_text();
    out.write_all(text.as_bytes())?;
    let lines = text.lines().count() as u64 - 1;
    Ok(Shown { shown: lines, all: lines })
}
