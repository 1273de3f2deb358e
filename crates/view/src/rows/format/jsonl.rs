//! JSON Lines: one object per row, always with the same keys, `null` where unknown.

use std::io::Write;

use crate::ViewError;
use crate::columns::Row;
use crate::rows::sink::Sink;
use crate::safe::write_json;

pub(in crate::rows) struct Jsonl<'a>(pub(in crate::rows) &'a mut dyn Write);

impl Sink for Jsonl<'_> {
    fn row(&mut self, row: &Row) -> Result<(), ViewError> {
        write_json(self.0, row)?;
        Ok(self.0.write_all(b"\n")?)
    }

    fn end(&mut self) -> Result<(), ViewError> {
        Ok(())
    }
}
