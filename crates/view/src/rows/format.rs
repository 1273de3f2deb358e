//! The formats of rows: a new one is a file beside this one, and a variant here.

use std::io::Write;

use super::csv::Csv;
use super::jsonl::Jsonl;
use super::sink::Sink;
use crate::ViewError;

/// How rows are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowFormat {
    /// Comma-separated values (RFC 4180), with this separator.
    Csv(u8),
    /// JSON Lines.
    Jsonl,
}

impl RowFormat {
    /// Begins to write rows with these columns.
    pub(super) fn open<'a>(
        self,
        out: &'a mut dyn Write,
        columns: &[&str],
    ) -> Result<Box<dyn Sink + 'a>, ViewError> {
        Ok(match self {
            RowFormat::Csv(separator) => Box::new(Csv::new(out, separator, columns)?),
            RowFormat::Jsonl => Box::new(Jsonl(out)),
        })
    }
}
