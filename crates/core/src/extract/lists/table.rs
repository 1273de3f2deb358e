//! Tables: values separated by commas, semicolons, tabs or bars, quoted or not (RFC 4180).
//!
//! A [`Table`] remembers where each row is, so that columns can be appended and everything else
//! stays the same, byte for byte.

use std::ops::Range;

use csv::{ByteRecord, ReaderBuilder};

use super::entry::{Entry, Fault, List, is_url};

/// The separators.
const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b'|'];
/// How many rows are examined to find the column with the URLs.
const LOOK_AT: usize = 1000;

/// A table with a column of URLs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    separator: u8,
    /// The row of column names, if there is one.
    header: Option<Range<usize>>,
    rows: Vec<Row>,
    faults: Vec<Fault>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Row {
    line: u32,
    /// Its bytes, without the line break.
    span: Range<usize>,
    value: Option<String>,
}

/// Why the URLs of a table are not found.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoColumn {
    /// No column contains URLs.
    #[error("no column contains URLs")]
    OfUrls,
    /// There is no column of that name or number.
    #[error("there is no column {wanted}; there is {}", .there.join(", "))]
    Named {
        /// The requested column.
        wanted: String,
        /// The names or numbers of the columns.
        there: Vec<String>,
    },
}

/// Whether a line is a table row rather than a URL.
pub(super) fn looks_like_row(line: &str) -> bool {
    let separator = SEPARATORS.iter().any(|separator| line.as_bytes().contains(separator));
    separator && !is_url(line)
}

/// Parses a table. `column` is the name or number (from 1) of the column with the URLs; by
/// default, the column with the most of them.
///
/// # Errors
/// If there is no such column.
pub fn table(bytes: &[u8], column: Option<&str>) -> Result<Table, NoColumn> {
    let start = if bytes.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
    let separator = separator(&bytes[start..]);
    let records = records(&bytes[start..], separator);
    let text = |record: &ByteRecord, at: usize| {
        record.get(at).map(|value| String::from_utf8_lossy(value).trim().to_owned())
    };
    let names: Vec<String> = match records.first() {
        Some((first, ..)) => (0..first.len()).filter_map(|at| text(first, at)).collect(),
        None => Vec::new(),
    };
    let column = match column {
        Some(wanted) => by_name(&names, wanted)?,
        None => by_content(&records).ok_or(NoColumn::OfUrls)?,
    };
    let has_names = names.get(column).is_some_and(|name| !is_url(name));
    let mut table = Table { separator, header: None, rows: Vec::new(), faults: Vec::new() };
    for (place, (record, span, line)) in records.iter().enumerate() {
        let span = span.start + start..span.end + start;
        if place == 0 && has_names {
            table.header = Some(span);
            continue;
        }
        let value = text(record, column);
        let mut fault = |what: String| table.faults.push(Fault { line: *line, what });
        match record.get(column) {
            None => fault(format!("it ends before column {}, which contains the URLs", column + 1)),
            Some(value) if std::str::from_utf8(value).is_err() => {
                fault("not UTF-8".to_owned());
            }
            Some(_) => {}
        }
        let value = value.filter(|value| !value.is_empty());
        table.rows.push(Row { line: *line, span, value });
    }
    Ok(table)
}

/// The records, each with its bytes and its line.
fn records(bytes: &[u8], separator: u8) -> Vec<(ByteRecord, Range<usize>, u32)> {
    let mut reader = ReaderBuilder::new()
        .delimiter(separator)
        .has_headers(false)
        .flexible(true)
        .from_reader(bytes);
    let mut records = Vec::new();
    let mut record = ByteRecord::new();
    // Reading from memory only fails on the shape of records, and any shape is accepted.
    while let Ok(true) = reader.read_byte_record(&mut record) {
        let position = record.position().expect("a record that was read has a position");
        let start = usize::try_from(position.byte()).expect("it lies in memory");
        let end = usize::try_from(reader.position().byte()).expect("it lies in memory");
        // The reader counts empty lines as part of the record after them.
        let before = bytes[start..end].iter().take_while(|byte| b"\r\n".contains(byte)).count();
        let skipped = bytes[start..start + before].iter().filter(|byte| **byte == b'\n').count();
        let body = &bytes[start + before..end];
        let length = body.len() - body.iter().rev().take_while(|o| b"\r\n".contains(o)).count();
        let line = u32::try_from(position.line()).unwrap_or(u32::MAX);
        let line = line.saturating_add(u32::try_from(skipped).unwrap_or_default());
        records.push((record.clone(), start + before..start + before + length, line));
    }
    records
}

/// The separator of most values in the first non-empty line.
fn separator(bytes: &[u8]) -> u8 {
    let count = |line: &[u8], separator: u8| {
        let mut quoted = false;
        let counts = |byte: &&u8| {
            quoted ^= **byte == b'"';
            !quoted && **byte == separator
        };
        line.iter().filter(counts).count()
    };
    let most = |line: &[u8]| {
        // In a tie, the first.
        let separator = SEPARATORS.into_iter().rev().max_by_key(|s| count(line, *s))?;
        (count(line, separator) > 0).then_some(separator)
    };
    bytes.split(|byte| *byte == b'\n').take(20).find_map(most).unwrap_or(b',')
}

fn by_name(names: &[String], wanted: &str) -> Result<usize, NoColumn> {
    let named = names.iter().position(|name| name.eq_ignore_ascii_case(wanted.trim()));
    let numbered =
        || wanted.trim().parse().ok().filter(|number| (1..=names.len()).contains(number));
    named
        .or_else(|| numbered().map(|number| number - 1))
        .ok_or_else(|| NoColumn::Named { wanted: wanted.to_owned(), there: names.to_vec() })
}

/// The column with the most URLs; in a tie, the first.
fn by_content(records: &[(ByteRecord, Range<usize>, u32)]) -> Option<usize> {
    let mut counts: Vec<usize> = Vec::new();
    for (record, ..) in records.iter().take(LOOK_AT) {
        counts.resize(counts.len().max(record.len()), 0);
        for (value, count) in record.iter().zip(&mut counts) {
            *count += usize::from(std::str::from_utf8(value).is_ok_and(is_url));
        }
    }
    let most = counts.iter().max().copied().filter(|most| *most > 0)?;
    counts.iter().position(|count| *count == most)
}

impl Table {
    /// The URLs in it. An empty cell is not one.
    #[must_use]
    pub fn list(&self) -> List {
        let entry = |row: &Row| Some(Entry::of(row.value.as_deref()?, row.line));
        let entries = self.rows.iter().filter_map(entry).collect();
        List { entries, faults: self.faults.clone() }
    }

    /// Writes the table with columns appended: for each row with a URL, the values that `of`
    /// returns for its line; everything else unchanged.
    #[must_use]
    pub fn append<const N: usize>(
        &self,
        bytes: &[u8],
        names: [&str; N],
        mut of: impl FnMut(u32) -> Option<[String; N]>,
    ) -> Vec<u8> {
        let mut out = Vec::with_capacity(bytes.len() * 2);
        let mut done = 0;
        let mut put = |span: &Range<usize>, values: [String; N]| {
            out.extend_from_slice(&bytes[done..span.end]);
            done = span.end;
            for value in values {
                out.push(self.separator);
                out.extend_from_slice(self.quoted(&value).as_bytes());
            }
        };
        if let Some(span) = &self.header {
            put(span, names.map(str::to_owned));
        }
        for row in &self.rows {
            let values = row.value.as_deref().and_then(|_| of(row.line));
            put(&row.span, values.unwrap_or_else(|| std::array::from_fn(|_| String::new())));
        }
        out.extend_from_slice(&bytes[done..]);
        out
    }

    fn quoted(&self, value: &str) -> String {
        let special =
            |c: char| c == '"' || c == '\n' || c == '\r' || c == char::from(self.separator);
        if value.contains(special) {
            format!("\"{}\"", value.replace('"', "\"\""))
        } else {
            value.to_owned()
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn entries(text: &str) -> Vec<(u32, String)> {
        let table = table(text.as_bytes(), None).expect("there is a column");
        table.list().entries.into_iter().map(|entry| (entry.line, entry.written)).collect()
    }

    #[test]
    fn the_column_is_found_by_content_with_any_separator() {
        for separator in [",", ";", "\t", "|"] {
            let text =
                "id,name,where\n1,\"Lock, the 9th\",https://a.test/9\n\n2,Weir,www.a.test/w\n";
            let text = text.replace("name,", &format!("name{separator}"));
            let text = text.replace("id,", &format!("id{separator}"));
            let text = text
                .replace("1,", &format!("1{separator}"))
                .replace("2,", &format!("2{separator}"));
            let text = text
                .replace("\",", &format!("\"{separator}"))
                .replace("Weir,", &format!("Weir{separator}"));
            assert_eq!(
                entries(&text),
                [(2, "https://a.test/9".to_owned()), (4, "https://www.a.test/w".to_owned())],
                "{text}"
            );
        }
        assert_eq!(entries("https://a.test/,x\nhttps://b.test/,y")[0].0, 1, "no names above");
        assert_eq!(table(b"a,b\n1,2", None), Err(NoColumn::OfUrls));
    }

    #[test]
    fn a_column_is_named_or_numbered() {
        let text = b"Old,New\nhttps://a.test/,https://b.test/\n";
        for column in ["new", "2"] {
            let table = table(text, Some(column)).expect("it is there");
            assert_eq!(table.list().entries[0].written, "https://b.test/");
        }
        let error = table(text, Some("newer")).expect_err("it is not there");
        assert_eq!(error.to_string(), "there is no column newer; there is Old, New");
    }

    #[test]
    fn ragged_rows_are_reported_and_the_others_parsed() {
        let table = table(b"n,url\n1,https://a.test/\n2\n3,https://c.test/,more\n4,\xff\n", None)
            .expect("there is a column");
        let list = table.list();
        let lines: Vec<u32> = list.entries.iter().map(|entry| entry.line).collect();
        assert_eq!(lines, [2, 4, 5]);
        assert_eq!(list.faults[0].line, 3);
        assert!(list.faults[0].what.contains("it ends before column 2"));
        assert_eq!(list.faults[1], Fault { line: 5, what: "not UTF-8".to_owned() });
    }

    #[test]
    fn appending_columns_changes_nothing_else() {
        let text = "\u{feff}id;\"the url\"\r\n1; https://a.test/ \r\n\r\n\"2\"\"\";\"x\ny\"\r\n3;https://b.test/";
        let table = table(text.as_bytes(), None).expect("there is a column");
        let out = table.append(text.as_bytes(), ["verdict", "why"], |line| {
            (line == 2).then(|| ["broken".to_owned(), "a;\"b\"".to_owned()])
        });
        assert_eq!(
            String::from_utf8(out).expect("it is text"),
            "\u{feff}id;\"the url\";verdict;why\r\n1; https://a.test/ ;broken;\"a;\"\"b\"\"\"\r\n\r\n\
             \"2\"\"\";\"x\ny\";;\r\n3;https://b.test/;;"
        );
    }

    const MARK: &str = "\u{1}put here\u{1}";

    fn cell() -> impl Strategy<Value = String> {
        prop_oneof![
            2 => "[a-z ]{0,8}".prop_map(|text| text),
            2 => "https://[a-z]{1,5}\\.test/[a-z0-9]{0,4}".prop_map(|text| text),
            1 => "[a-z,;\"\n]{0,6}".prop_map(|text| format!("\"{}\"", text.replace('"', "\"\""))),
        ]
    }

    proptest! {
        /// For any table: without the appended values it is what it was, and each row got them
        /// once.
        #[test]
        fn appended_values_can_be_removed_again(
            rows in prop::collection::vec(prop::collection::vec(cell(), 1..5), 1..12),
            separator in prop::sample::select(vec![",", ";", "\t"]),
            end in prop::sample::select(vec!["\n", "\r\n", "\n\n"]),
            last in any::<bool>(),
        ) {
            let lines: Vec<String> = rows.iter().map(|row| row.join(separator)).collect();
            let text = lines.join(end) + if last { end } else { "" };
            let Ok(table) = table(text.as_bytes(), None) else { return Ok(()) };
            let out = table.append(text.as_bytes(), [MARK], |_| Some([MARK.to_owned()]));
            let out = String::from_utf8(out).expect("it was text");
            let separator = char::from(table.separator);
            let marked = out.matches(MARK).count();
            let with_url = table.rows.iter().filter(|row| row.value.is_some()).count();
            prop_assert_eq!(marked, with_url + usize::from(table.header.is_some()));
            let bare = out.replace(&format!("{separator}{MARK}"), "");
            // A row without a URL gets an empty cell.
            let empty = table.rows.len() - with_url;
            prop_assert_eq!(bare.len(), text.len() + empty);
            if empty == 0 {
                prop_assert_eq!(bare, text);
            }
        }

        /// Any bytes are a table or not; no line is reported twice, nor one that does not exist.
        #[test]
        fn parsing_any_bytes_does_not_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
            let Ok(table) = table(&bytes, None) else { return Ok(()) };
            let list = table.list();
            let lines = bytes.iter().filter(|byte| matches!(byte, b'\n' | b'\r')).count() + 1;
            let reported: Vec<u32> = list.entries.iter().map(|entry| entry.line).collect();
            prop_assert!(reported.is_sorted() && reported.iter().all(|line| *line as usize <= lines));
        }
    }
}
