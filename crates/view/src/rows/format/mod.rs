//! The formats of rows. A new format is a file here and a row in the table below.

mod csv;
mod jsonl;

use std::io::Write;

use super::sink::Sink;
use crate::ViewError;
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

/// What users need to know about a format.
struct About {
    format: RowFormat,
    name: &'static str,
    help: &'static str,
    extensions: &'static [&'static str],
}

const TABLE: &[About] = &[
    About {
        format: RowFormat::Csv(b','),
        name: "csv",
        help: "Comma-separated values, with a header row",
        extensions: &["csv"],
    },
    About {
        format: RowFormat::Jsonl,
        name: "jsonl",
        help: "JSON Lines: an object for each link",
        extensions: &["jsonl", "ndjson"],
    },
];

impl RowFormat {
    /// Every format, with its default options.
    pub fn all() -> impl Iterator<Item = RowFormat> {
        TABLE.iter().map(|about| about.format)
    }

    /// Its name for `--format`.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.about().name
    }

    /// Its description in the help.
    #[must_use]
    pub fn help(self) -> &'static str {
        self.about().help
    }

    /// The file extensions it is recognized by, the usual one first.
    #[must_use]
    pub fn extensions(self) -> &'static [&'static str] {
        self.about().extensions
    }

    /// This format with another separator, if it has one.
    #[must_use]
    pub fn separated_by(self, separator: u8) -> RowFormat {
        match self {
            RowFormat::Csv(_) => RowFormat::Csv(separator),
            other => other,
        }
    }

    fn about(self) -> &'static About {
        let is_same =
            |about: &&About| std::mem::discriminant(&about.format) == std::mem::discriminant(&self);
        TABLE.iter().find(is_same).expect("every format has a row")
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_format_has_a_name_a_description_and_an_extension() {
        let all: Vec<(&str, &str)> =
            RowFormat::all().map(|format| (format.name(), format.extensions()[0])).collect();
        assert_eq!(all, [("csv", "csv"), ("jsonl", "jsonl")]);
        assert!(RowFormat::all().all(|format| format.help().len() > 10));
        assert_eq!(RowFormat::Csv(b',').separated_by(b';'), RowFormat::Csv(b';'));
        assert_eq!(RowFormat::Jsonl.separated_by(b';'), RowFormat::Jsonl);
    }
}
