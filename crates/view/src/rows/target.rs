//! The row of a target.

use rummage_store::{LinkRow, OpenRun};

use crate::ViewError;
use crate::cells::{self, Row};
use crate::gather::Group;
use crate::text::is_of_link;

/// The row of a target.
pub(crate) fn target_row(
    run: &OpenRun<'_>,
    first: &LinkRow,
    group: &Group,
) -> Result<Row, ViewError> {
    let target = run.target_row(first.target)?;
    let own = is_of_link(first.outcome.cause);
    Ok(cells::of_target(first, &target, group.reach, own))
}
