//! The row of a target.

use rummage_core::findings::prominence::Prominence;
use rummage_core::verdict::Cause;
use rummage_store::{LinkRow, OpenRun};

use crate::ViewError;
use crate::columns::{self, Row};

/// Builds the row of a target.
pub(crate) fn target_row(
    run: &OpenRun<'_>,
    first: &LinkRow,
    prominence: Prominence,
) -> Result<Row, ViewError> {
    let target = run.target_row(first.target)?;
    let own = first.outcome.cause.is_some_and(Cause::is_of_link);
    Ok(columns::of_target(first, &target, prominence, own))
}
