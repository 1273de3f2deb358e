//! The formats of rows: a new one is a file beside this one, and a row in the table here.

mod csv;
mod jsonl;

use std::io::Write;

use super::sink::Sink;
use crate::ViewError;
use csv::Csv;
pub(in crate::rows) use jsonl::Jsonl;

/// How rows are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowFormat {
    /// Comma-separated values (RFC 4180), with this separator.
    Csv(u8),
    /// JSON Lines.
    Jsonl,
}

/// What a user has to know of a format.
struct About {
    format: RowFormat,
    name: &'static str,
    help: &'static str,
    endings: &'static [&'static str],
}

const TABLE: &[About] = &[
    About {
        format: RowFormat::Csv(b','),
        name: "csv",
        help: "Comma-separated values, with a header row",
        endings: &["csv"],
    },
    About {
        format: RowFormat::Jsonl,
        name: "jsonl",
        help: "JSON Lines: an object for each link",
        endings: &["jsonl", "ndjson"],
    },
];

impl RowFormat {
    /// Every format, as it is without options.
    pub fn all() -> impl Iterator<Item = RowFormat> {
        TABLE.iter().map(|about| about.format)
    }

    /// What `--format` calls it.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.about().name
    }

    /// What it is, in a few words.
    #[must_use]
    pub fn help(self) -> &'static str {
        self.about().help
    }

    /// How the names of its files end, the usual way first.
    #[must_use]
    pub fn endings(self) -> &'static [&'static str] {
        self.about().endings
    }

    /// The same with this separator, where fields are separated by one character.
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
        TABLE.iter().find(is_same).expect("a row for each format")
    }

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
