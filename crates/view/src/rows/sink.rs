//! Writers of rows, for any format.

use crate::ViewError;
use crate::columns::Row;

/// Writes rows.
pub(super) trait Sink {
    fn row(&mut self, row: &Row) -> Result<(), ViewError>;
    fn end(&mut self) -> Result<(), ViewError>;
}
