//! Comma-separated values (RFC 4180), in UTF-8, with a header row.
//!
//! Spreadsheets evaluate a cell that begins with `=`, `+`, `-`, `@`, a tab or a line break as a
//! formula. Such a cell gets a leading `'`.

use std::io::Write;

use csv::{Terminator, Writer, WriterBuilder};

use crate::ViewError;
use crate::columns::{Cell, Row};
use crate::rows::sink::Sink;

pub(super) struct Csv<'a>(Writer<&'a mut dyn Write>);

impl<'a> Csv<'a> {
    pub(super) fn new(
        out: &'a mut dyn Write,
        separator: u8,
        columns: &[&str],
    ) -> Result<Csv<'a>, ViewError> {
        let mut writer =
            WriterBuilder::new().delimiter(separator).terminator(Terminator::CRLF).from_writer(out);
        writer.write_record(columns).map_err(failure)?;
        Ok(Csv(writer))
    }
}

impl Sink for Csv<'_> {
    fn row(&mut self, row: &Row) -> Result<(), ViewError> {
        for cell in row.cells() {
            self.0.write_field(harmless(cell).as_bytes()).map_err(failure)?;
        }
        self.0.write_record(None::<&[u8]>).map_err(failure)
    }

    fn end(&mut self) -> Result<(), ViewError> {
        Ok(self.0.flush()?)
    }
}

/// The value as text that no spreadsheet evaluates.
fn harmless(cell: &Cell) -> String {
    let text = cell.text();
    if matches!(cell, Cell::Text(_)) && text.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']) {
        return format!("'{text}");
    }
    text.into_owned()
}

fn failure(error: csv::Error) -> ViewError {
    // The original I/O error is kept, so that a closed pipe can be recognized.
    ViewError::Write(match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        other => std::io::Error::other(format!("{other:?}")),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_formulas_are_quoted() {
        for text in ["=1+1", "+44 20", "-", "@SUM(A1)", "\tx", "\rx"] {
            assert_eq!(harmless(&text.into()), format!("'{text}"));
        }
        for text in ["", "1-1", "'=1", "https://a.test/=x", "a@b.test"] {
            assert_eq!(harmless(&text.into()), text);
        }
        assert_eq!(harmless(&Cell::Number(7)), "7");
    }
}
