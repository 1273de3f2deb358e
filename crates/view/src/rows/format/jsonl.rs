//! JSON Lines: one object per row, always with the same keys, `null` where unknown.

use std::io::Write;

use crate::ViewError;
use crate::columns::Row;
use crate::rows::sink::Sink;

pub(in crate::rows) struct Jsonl<'a>(pub(in crate::rows) &'a mut dyn Write);

impl Sink for Jsonl<'_> {
    fn row(&mut self, row: &Row) -> Result<(), ViewError> {
        serde_json::to_writer(&mut *self.0, row).map_err(std::io::Error::from)?;
        Ok(self.0.write_all(b"\n")?)
    }

    fn end(&mut self) -> Result<(), ViewError> {
        Ok(())
    }
}
