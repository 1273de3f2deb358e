//! Comma-separated values (RFC 4180), in UTF-8, with a header row.
//!
//! Spreadsheets evaluate a cell that begins with `=`, `+`, `-` or `@` as a formula. Such a cell
//! gets a leading `'`. Control characters are replaced by U+FFFD.

use std::io::Write;

use csv::{Terminator, Writer, WriterBuilder};

use crate::ViewError;
use crate::columns::{Cell, Row};
use crate::rows::sink::Sink;
use crate::safe::plain;

/// What begins a formula, also in the full width of East Asian keyboards.
const FORMULA: [char; 8] = ['=', '+', '-', '@', '\u{ff1d}', '\u{ff0b}', '\u{ff0d}', '\u{ff20}'];

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

/// The value as text that nothing obeys and no spreadsheet evaluates. What may be obeyed is
/// replaced first, so that nothing can be removed later to make a formula begin.
fn harmless(cell: &Cell) -> String {
    let text = cell.text();
    let text = plain(&text);
    let begins = text.trim_start_matches(char::is_whitespace).starts_with(FORMULA);
    if matches!(cell, Cell::Text(_) | Cell::List(_)) && begins {
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
        for text in ["=1+1", "+44 20", "-", "@SUM(A1)", " =1", "\u{ff1d}1"] {
            assert_eq!(harmless(&text.into()), format!("'{text}"));
        }
        assert_eq!(harmless(&Cell::List(vec!["=1".to_owned()])), "'=1");
        // Something that removes the sequence leaves no formula.
        assert_eq!(harmless(&"\u{1b}[0m=1".into()), "\u{fffd}[0m=1");
        assert_eq!(harmless(&"\t=1\r\n".into()), "\u{fffd}=1\u{fffd}\u{fffd}");
        for text in ["", "1-1", "'=1", "https://a.test/=x", "a@b.test"] {
            assert_eq!(harmless(&text.into()), text);
        }
        assert_eq!(harmless(&Cell::Number(7)), "7");
    }
}
