//! The formats of rows. A new format is a file here and a row in the table below.

mod csv;
mod jsonl;

use std::io::Write;

use super::sink::Sink;
use crate::ViewError;
use crate::columns::Row;
use crate::format_info::FormatInfo;
use csv::Csv;
pub(in crate::rows) use jsonl::Jsonl;

/// A format of rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowFormat {
    /// Comma-separated values (RFC 4180), with this separator.
    Csv(u8),
    /// JSON Lines.
    Jsonl,
}

const TABLE: &[(RowFormat, FormatInfo)] = &[
    (
        RowFormat::Csv(b','),
        FormatInfo {
            name: "csv",
            help: "Comma-separated values, with a header row",
            extensions: &["csv"],
        },
    ),
    (
        RowFormat::Jsonl,
        FormatInfo {
            name: "jsonl",
            help: "JSON Lines: an object for each link",
            extensions: &["jsonl", "ndjson"],
        },
    ),
];

impl RowFormat {
    /// Every format, with its default options.
    pub fn all() -> impl Iterator<Item = RowFormat> {
        TABLE.iter().map(|(format, _)| *format)
    }

    /// What users need to know about it.
    #[must_use]
    pub fn info(self) -> FormatInfo {
        let is_same =
            |format: &RowFormat| std::mem::discriminant(format) == std::mem::discriminant(&self);
        let row = TABLE.iter().find(|(format, _)| is_same(format));
        row.expect("every format has a row").1
    }

    /// This format with another separator, if it has one.
    #[must_use]
    pub fn separated_by(self, separator: u8) -> RowFormat {
        match self {
            RowFormat::Csv(_) => RowFormat::Csv(separator),
            other => other,
        }
    }

    /// Starts writing rows with these columns, for code outside of this folder.
    pub(crate) fn open_rows<'a>(
        self,
        out: &'a mut dyn Write,
        columns: &[&str],
    ) -> Result<OpenRows<'a>, ViewError> {
        self.open(out, columns).map(OpenRows)
    }

    /// Starts writing rows with these columns.
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

/// Rows that are being written.
pub(crate) struct OpenRows<'a>(Box<dyn Sink + 'a>);

impl OpenRows<'_> {
    pub(crate) fn row(&mut self, row: &Row) -> Result<(), ViewError> {
        self.0.row(row)
    }

    pub(crate) fn end(mut self) -> Result<(), ViewError> {
        self.0.end()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_format_has_a_name_a_description_and_an_extension() {
        let all: Vec<(&str, &str)> = RowFormat::all()
            .map(|format| (format.info().name, format.info().extensions[0]))
            .collect();
        assert_eq!(all, [("csv", "csv"), ("jsonl", "jsonl")]);
        assert!(RowFormat::all().all(|format| format.info().help.len() > 10));
        assert_eq!(RowFormat::Csv(b',').separated_by(b';'), RowFormat::Csv(b';'));
        assert_eq!(RowFormat::Jsonl.separated_by(b';'), RowFormat::Jsonl);
    }
}
