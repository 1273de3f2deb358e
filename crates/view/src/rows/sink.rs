//! What takes rows, whatever their format.

use crate::ViewError;
use crate::cells::Row;

/// Takes rows.
pub(super) trait Sink {
    fn row(&mut self, row: &Row) -> Result<(), ViewError>;
    fn end(&mut self) -> Result<(), ViewError>;
}
