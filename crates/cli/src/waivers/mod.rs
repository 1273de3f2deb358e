//! The waivers file: decisions to waive findings, as text that people read and edit.
//!
//! It is kept beside the settings file, else beside the store, in a form that suits version
//! control. Writing to it preserves comments and order.

mod entry;

use std::io::ErrorKind::{NotADirectory, NotFound};
use std::io::Write;
use std::path::{Path, PathBuf};

use jiff::civil::Date;
use rummage_core::findings::waiver::{Waiver, Waivers};
use rummage_view::safe;
use tempfile::NamedTempFile;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table};

pub(crate) use entry::Entry;

use crate::config::Config;
use crate::failure::Failure;
use crate::output;

/// The name of the file.
pub(crate) const FILE: &str = "waivers.toml";
/// The name of its tables.
const TABLE: &str = "waiver";

const HEAD: &str = "\
# Waived findings. rummage waive adds to this file, rummage waive --list shows what each
# waiver covers; comments and order are kept. Keys: as = \"leave\" (known, left as it is until
# its date) or \"works\" (checked by a person; holds while the response stays the same), reason,
# until, and patterns: target, host, page, cause.
";

/// The parsed file.
#[derive(Debug)]
pub(crate) struct File {
    pub(crate) path: PathBuf,
    document: DocumentMut,
    pub(crate) entries: Vec<Entry>,
}

impl File {
    /// Loads the file beside the settings, else beside the store; empty if there is none.
    pub(crate) fn load(config: &Config, store: &Path) -> Result<File, Failure> {
        let folder = config.folder().or(store.parent()).unwrap_or(Path::new(""));
        let path = folder.join(FILE);
        let text = match std::fs::read_to_string(&path) {
            Ok(text) => text,
            Err(reason) if matches!(reason.kind(), NotFound | NotADirectory) => HEAD.to_owned(),
            Err(reason) => {
                return Err(wrong(
                    &path,
                    format!("cannot be read: {reason}"),
                    "Check its permissions.",
                ));
            }
        };
        let document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
            wrong(
                &path,
                format!("is not valid TOML: {}", error.to_string().trim()),
                "Correct the line.",
            )
        })?;
        let mut entries = Vec::new();
        for (name, item) in document.iter() {
            let tables = item.as_array_of_tables().filter(|_| name == TABLE).ok_or_else(|| {
                let what = format!("has a table \"{}\", which is not a waiver", safe(name));
                wrong(&path, what, "Begin each waiver with [[waiver]].")
            })?;
            for (at, table) in tables.iter().enumerate() {
                let entry = Entry::read(table).map_err(|(what, hint)| {
                    wrong(&path, format!("waiver {} is invalid: {what}", at + 1), &hint)
                })?;
                entries.push(entry);
            }
        }
        Ok(File { path, document, entries })
    }

    /// The waivers for the core, with those that have ended by that date marked.
    pub(crate) fn waivers(&self, today: Date) -> Waivers {
        let waiver = |entry: &Entry| Waiver { ended: entry.has_ended(today), ..entry.waiver() };
        Waivers(self.entries.iter().map(waiver).collect())
    }

    /// Adds a waiver at the end, and returns its number.
    pub(crate) fn add(&mut self, entry: Entry) -> usize {
        let mut table = entry.table();
        // In a file without waivers, its head is what comes after them.
        let head = self.document.trailing().as_str().unwrap_or_default().trim_end().to_owned();
        if self.entries.is_empty() && !head.is_empty() {
            self.document.set_trailing("");
            table.decor_mut().set_prefix(format!("{head}\n\n"));
        }
        let tables =
            self.document.entry(TABLE).or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
        if let Some(tables) = tables.as_array_of_tables_mut() {
            tables.push(table);
        }
        self.entries.push(entry);
        self.entries.len()
    }

    /// Removes waivers, by their numbers from 1.
    pub(crate) fn lift(&mut self, numbers: &[usize]) -> Result<Vec<Entry>, Failure> {
        let mut numbers: Vec<usize> = numbers.to_vec();
        numbers.sort_unstable();
        numbers.dedup();
        if let Some(unknown) = numbers.iter().find(|n| !(1..=self.entries.len()).contains(*n)) {
            return Err(Failure::Usage {
                what: format!("there is no waiver {unknown}"),
                hint: "rummage waive --list shows their numbers.".to_owned(),
            });
        }
        let mut lifted = Vec::new();
        for number in numbers.into_iter().rev() {
            let tables = self.document.get_mut(TABLE).and_then(Item::as_array_of_tables_mut);
            if let Some(tables) = tables {
                let above = tables.get(number - 1).map(comments_apart).unwrap_or_default();
                tables.remove(number - 1);
                match (above.is_empty(), tables.get_mut(number - 1)) {
                    (true, _) => {}
                    (false, Some(next)) => {
                        let own = prefix(next).trim_start().to_owned();
                        next.decor_mut().set_prefix(format!("{above}\n\n{own}"));
                    }
                    (false, None) => {
                        let end = self.document.trailing().as_str().unwrap_or_default().to_owned();
                        self.document.set_trailing(format!("{above}\n{end}"));
                    }
                }
            }
            lifted.insert(0, self.entries.remove(number - 1));
        }
        Ok(lifted)
    }

    /// Writes the file, completely or not at all.
    pub(crate) fn save(&self) -> Result<(), Failure> {
        let cannot = |reason: std::io::Error| {
            wrong(&self.path, format!("cannot be written: {reason}"), "Check the folder.")
        };
        let folder = self.path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let mut file = NamedTempFile::new_in(folder.unwrap_or(Path::new("."))).map_err(cannot)?;
        file.write_all(self.document.to_string().as_bytes()).map_err(cannot)?;
        output::make_readable(file.as_file());
        file.persist(&self.path).map_err(|error| cannot(error.error))?;
        Ok(())
    }
}

fn prefix(table: &Table) -> &str {
    table.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default()
}

/// The comments before a table except those directly above it: the latter describe the table, the
/// former the file or a section of it.
fn comments_apart(table: &Table) -> String {
    let (apart, _) = prefix(table).rsplit_once("\n\n").unwrap_or_default();
    apart.trim_end().to_owned()
}

fn wrong(path: &Path, what: String, hint: &str) -> Failure {
    Failure::Usage { what: format!("{} {what}", path.display()), hint: hint.to_owned() }
}
