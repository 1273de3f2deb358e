//! Lists of URLs, from arguments, files and standard input.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

use flate2::read::MultiGzDecoder;
use rummage_core::extract::lists::{
    Entry, Fault, Kind, LONGEST_LINE, List, Table, is_url, json_lines, kind_of, lines, table,
};
use rummage_core::extract::reading::Format;
use rummage_engine::Document;
use rummage_view::safe;
use url::Url;

use crate::failure::Failure;

/// How much of an input is read, decompressed. Real lists are far shorter.
const LARGEST: u64 = 128 << 20;

/// Extensions of files that hold lists.
const LIST_EXTENSIONS: [&str; 9] =
    [".csv", ".tsv", ".txt", ".html", ".htm", ".xml", ".json", ".jsonl", ".gz"];

/// One input that was read.
pub(crate) struct Input {
    /// Its name in output.
    pub(crate) name: String,
    /// The URL of the page that its entries appear on.
    pub(crate) url: Url,
    /// Its contents.
    pub(crate) document: Document,
    /// What could not be read, in sentences.
    pub(crate) problems: Vec<String>,
    /// For a table: its bytes, and where its rows are.
    pub(crate) table: Option<(Vec<u8>, Table)>,
}

/// Reads the named inputs: URLs, files, `-`. `column` is the column of tables.
pub(crate) fn read_all(named: &[String], column: Option<&str>) -> Result<Vec<Input>, Failure> {
    let mut inputs = Vec::new();
    let mut urls = List::default();
    for (place, name) in (1u32..).zip(named) {
        let path = Path::new(name);
        // A bare name with the extension of a list is a missing file, not a host.
        let is_list_name =
            LIST_EXTENSIONS.iter().any(|extension| name.to_ascii_lowercase().ends_with(extension));
        if name == "-" || is_readable(path) {
            inputs.push(of_file(name, column)?);
        } else if is_url(name) && (name.contains("://") || !is_list_name) {
            urls.entries.push(Entry::of(name, place));
        } else {
            let what = match path.is_dir() {
                true => format!("{name} is a folder, not a list of URLs"),
                false => format!("{name} is neither a URL nor an existing file"),
            };
            let hint = match path.is_dir() {
                true => format!("To check the links of a built site: rummage crawl {name}"),
                false => "Give URLs, files that list them, or - for standard input.".to_owned(),
            };
            return Err(Failure::Usage { what, hint });
        }
    }
    if !urls.entries.is_empty() {
        let url = Url::parse("file:///arguments").expect("it is plain");
        let document = Document::Read(Box::new(urls.reading()));
        let name = "arguments".to_owned();
        inputs.insert(0, Input { name, url, document, problems: Vec::new(), table: None });
    }
    Ok(inputs)
}

/// Whether there is something to read: a file, or a pipe with a name.
pub(crate) fn is_readable(path: &Path) -> bool {
    path.exists() && !path.is_dir()
}

fn of_file(name: &str, column: Option<&str>) -> Result<Input, Failure> {
    let (bytes, missing) = bytes(name)?;
    let shown = if name == "-" { "standard input" } else { name };
    let url = match name {
        "-" => Url::parse("file:///standard-input").expect("it is plain"),
        name => url_of(Path::new(name))?,
    };
    let mut problems: Vec<String> =
        missing.into_iter().map(|reason| format!("{shown}: {reason}")).collect();
    let mut bytes = in_utf8(bytes);
    let kind = if column.is_some() { Kind::Table } else { kind_of(name, &bytes) };
    if kind == Kind::Table
        && let Some((line, start)) = too_long(&bytes)
    {
        let before = "everything before it was read";
        problems.push(format!("{shown}, line {line}: longer than 1 MiB; {before}"));
        bytes.truncate(start);
    }
    let mut input = |list: List, table| {
        let faults = list.faults.len();
        for Fault { line, what } in list.faults.iter().take(3) {
            problems.push(format!("{shown}, line {line}: {what}; line skipped"));
        }
        if faults > 3 {
            problems.push(format!("{shown}: and {} more lines", faults - 3));
        }
        let any = list.entries.iter().any(|entry| is_url(&entry.written));
        if list.entries.is_empty() || (!any && list.entries.len() > 3) {
            problems.push(format!("{shown} contains no URL: is it a list?"));
        }
        let list = if any || list.entries.len() <= 3 { list } else { List::default() };
        (Document::Read(Box::new(list.reading())), table)
    };
    let (document, table) = match kind {
        Kind::Lines => input(lines(&bytes), None),
        Kind::JsonLines => input(json_lines(&bytes), None),
        Kind::Table => match table(&bytes, column) {
            Ok(table) => input(table.list(), Some((bytes, table))),
            Err(reason) if column.is_some() => {
                return Err(Failure::Usage {
                    what: format!("{shown}: {reason}"),
                    hint: "Name the column with --column NAME, or give its number from 1."
                        .to_owned(),
                });
            }
            Err(_) => input(List::default(), None),
        },
        Kind::Html => (Document::Bytes(bytes.into(), Format::Html), None),
        Kind::Sitemap => (Document::Bytes(bytes.into(), Format::Sitemap), None),
    };
    Ok(Input { name: shown.to_owned(), url, document, problems, table })
}

/// The first line that is longer than any table row, and where it begins.
fn too_long(bytes: &[u8]) -> Option<(usize, usize)> {
    let mut start = 0;
    for (number, line) in (1..).zip(bytes.split(|byte| *byte == b'\n')) {
        if line.len() > LONGEST_LINE {
            return Some((number, start));
        }
        start += line.len() + 1;
    }
    None
}

/// The bytes of a file, decompressed if it is gzip, and why some are missing.
pub(crate) fn bytes(name: &str) -> Result<(Vec<u8>, Option<String>), Failure> {
    let cannot = |reason: io::Error| Failure::Usage {
        what: format!("cannot read {}: {reason}", safe(name)),
        hint: "Check its name and permissions.".to_owned(),
    };
    let source: Box<dyn Read> = match name {
        "-" => Box::new(io::stdin()),
        name => Box::new(File::open(name).map_err(cannot)?),
    };
    let mut bytes = Vec::new();
    source.take(LARGEST).read_to_end(&mut bytes).map_err(cannot)?;
    if bytes.len() as u64 == LARGEST {
        let reason = format!("only the first {} MiB were read", LARGEST >> 20);
        return Ok((bytes, Some(reason)));
    }
    if !bytes.starts_with(&[0x1f, 0x8b]) {
        return Ok((bytes, None));
    }
    let mut plain = Vec::new();
    let missing = match MultiGzDecoder::new(&bytes[..]).take(LARGEST).read_to_end(&mut plain) {
        Err(_) => Some("its gzip data ends early; everything before was read".to_owned()),
        Ok(_) if plain.len() as u64 == LARGEST => {
            Some(format!("only the first {} MiB were decompressed", LARGEST >> 20))
        }
        Ok(_) => None,
    };
    Ok((plain, missing))
}

/// Decodes tables from spreadsheet programs, which may be UTF-16 (Encoding, "BOM sniff").
fn in_utf8(bytes: Vec<u8>) -> Vec<u8> {
    match encoding_rs::Encoding::for_bom(&bytes) {
        Some((encoding, _)) if encoding != encoding_rs::UTF_8 => {
            encoding.decode(&bytes).0.into_owned().into_bytes()
        }
        _ => bytes,
    }
}

/// The URL of a file on this machine.
pub(crate) fn url_of(path: &Path) -> Result<Url, Failure> {
    let cannot = |reason| Failure::System { what: "cannot find the current folder", reason };
    let whole = std::path::absolute(path).map_err(cannot)?;
    Url::from_file_path(&whole).map_err(|()| Failure::Usage {
        what: format!("{} is not a file name", path.display()),
        hint: "Give the name of a file.".to_owned(),
    })
}
