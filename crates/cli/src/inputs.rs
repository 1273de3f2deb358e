//! Lists of addresses, from arguments, files and standard input.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

use flate2::read::MultiGzDecoder;
use rummage_core::extract::lists::{
    Entry, Fault, Kind, LONGEST_LINE, List, Table, is_address, json_lines, kind_of, lines, table,
};
use rummage_core::extract::reading::Format;
use rummage_engine::Document;
use rummage_view::safe;
use url::Url;

use crate::failure::Failure;

/// An input is read up to here, unpacked: lists are far shorter.
const LARGEST: u64 = 128 << 20;

/// How files that hold lists end.
const LIST_ENDINGS: [&str; 9] =
    [".csv", ".tsv", ".txt", ".html", ".htm", ".xml", ".json", ".jsonl", ".gz"];

/// What was read of an input.
pub(crate) struct Input {
    /// As it is named to people.
    pub(crate) name: String,
    /// The address that its entries stand on.
    pub(crate) url: Url,
    /// What it holds.
    pub(crate) document: Document,
    /// What could not be read of it, in sentences.
    pub(crate) problems: Vec<String>,
    /// For a table: its octets, and where its rows stand.
    pub(crate) table: Option<(Vec<u8>, Table)>,
}

/// Reads what was named: addresses, files, `-`. `column`: that of tables.
pub(crate) fn read_all(named: &[String], column: Option<&str>) -> Result<Vec<Input>, Failure> {
    let mut inputs = Vec::new();
    let mut addresses = List::default();
    for (place, name) in (1u32..).zip(named) {
        let path = Path::new(name);
        // A name that ends as lists do, and has no path, is hardly a host.
        let is_list_name =
            LIST_ENDINGS.iter().any(|ending| name.to_ascii_lowercase().ends_with(ending));
        if name == "-" || path.is_file() {
            inputs.push(of_file(name, column)?);
        } else if is_address(name) && (name.contains("://") || !is_list_name) {
            let written = rummage_core::extract::lists::address(name);
            addresses.entries.push(Entry { written, line: place });
        } else {
            let what = match path.is_dir() {
                true => format!("{name} is a folder, and a list of addresses is wanted"),
                false => format!("{name} is neither an address nor a file that is there"),
            };
            let hint = match path.is_dir() {
                true => format!("For the links of a built site: rummage crawl {name}"),
                false => {
                    "Give addresses, files that hold them, or - for standard input.".to_owned()
                }
            };
            return Err(Failure::Usage { what, hint });
        }
    }
    if !addresses.entries.is_empty() {
        let url = Url::parse("file:///arguments").expect("it is plain");
        let document = Document::Read(Box::new(addresses.reading()));
        let name = "arguments".to_owned();
        inputs.insert(0, Input { name, url, document, problems: Vec::new(), table: None });
    }
    Ok(inputs)
}

fn of_file(name: &str, column: Option<&str>) -> Result<Input, Failure> {
    let (octets, torn) = octets(name)?;
    let shown = if name == "-" { "standard input" } else { name };
    let url = match name {
        "-" => Url::parse("file:///standard-input").expect("it is plain"),
        name => address_of(Path::new(name))?,
    };
    let mut problems: Vec<String> = torn.into_iter().map(|why| format!("{shown}: {why}")).collect();
    let mut octets = in_utf8(octets);
    let kind = if column.is_some() { Kind::Table } else { kind_of(name, &octets) };
    if kind == Kind::Table
        && let Some((line, start)) = too_long(&octets)
    {
        let before = "what stands before it was read";
        problems.push(format!("{shown}, line {line}: it is longer than 1 MiB; {before}"));
        octets.truncate(start);
    }
    let mut input = |list: List, table| {
        let faults = list.faults.len();
        for Fault { line, what } in list.faults.iter().take(3) {
            problems.push(format!("{shown}, line {line}: {what}; the line was left out"));
        }
        if faults > 3 {
            problems.push(format!("{shown}: and {} lines more", faults - 3));
        }
        let any = list.entries.iter().any(|entry| is_address(&entry.written));
        if list.entries.is_empty() || (!any && list.entries.len() > 3) {
            problems.push(format!("{shown} holds no address: is it a list?"));
        }
        let list = if any || list.entries.len() <= 3 { list } else { List::default() };
        (Document::Read(Box::new(list.reading())), table)
    };
    let (document, table) = match kind {
        Kind::Lines => input(lines(&octets), None),
        Kind::JsonLines => input(json_lines(&octets), None),
        Kind::Table => match table(&octets, column) {
            Ok(table) => input(table.list(), Some((octets, table))),
            Err(why) if column.is_some() => {
                return Err(Failure::Usage {
                    what: format!("{shown}: {why}"),
                    hint: "Name the column by --column NAME, or by its number from 1.".to_owned(),
                });
            }
            Err(_) => input(List::default(), None),
        },
        Kind::Html => (Document::Octets(octets.into(), Format::Html), None),
        Kind::Sitemap => (Document::Octets(octets.into(), Format::Sitemap), None),
    };
    Ok(Input { name: shown.to_owned(), url, document, problems, table })
}

/// The first line that is longer than those of tables are, and where it begins.
fn too_long(octets: &[u8]) -> Option<(usize, usize)> {
    let mut start = 0;
    for (number, line) in (1..).zip(octets.split(|octet| *octet == b'\n')) {
        if line.len() > LONGEST_LINE {
            return Some((number, start));
        }
        start += line.len() + 1;
    }
    None
}

/// The octets of a file, unpacked where it is gzip, and why not all of them came.
pub(crate) fn octets(name: &str) -> Result<(Vec<u8>, Option<String>), Failure> {
    let cannot = |why: io::Error| Failure::Usage {
        what: format!("{} cannot be read: {why}", safe(name)),
        hint: "Check its name and its permissions.".to_owned(),
    };
    let source: Box<dyn Read> = match name {
        "-" => Box::new(io::stdin()),
        name => Box::new(File::open(name).map_err(cannot)?),
    };
    let mut octets = Vec::new();
    source.take(LARGEST).read_to_end(&mut octets).map_err(cannot)?;
    if octets.len() as u64 == LARGEST {
        let why = format!("it was read up to {} MiB only", LARGEST >> 20);
        return Ok((octets, Some(why)));
    }
    if !octets.starts_with(&[0x1f, 0x8b]) {
        return Ok((octets, None));
    }
    let mut plain = Vec::new();
    let torn = match MultiGzDecoder::new(&octets[..]).take(LARGEST).read_to_end(&mut plain) {
        Err(_) => Some("its gzip ends early: what came before was read".to_owned()),
        Ok(_) if plain.len() as u64 == LARGEST => {
            Some(format!("it was unpacked up to {} MiB only", LARGEST >> 20))
        }
        Ok(_) => None,
    };
    Ok((plain, torn))
}

/// Tables from office programs come in UTF-16, too (Encoding, "BOM sniff").
fn in_utf8(octets: Vec<u8>) -> Vec<u8> {
    match encoding_rs::Encoding::for_bom(&octets) {
        Some((encoding, _)) if encoding != encoding_rs::UTF_8 => {
            encoding.decode(&octets).0.into_owned().into_bytes()
        }
        _ => octets,
    }
}

/// The address of a file on this machine.
pub(crate) fn address_of(path: &Path) -> Result<Url, Failure> {
    let cannot = |why| Failure::System { what: "the current folder is not known", why };
    let whole = std::path::absolute(path).map_err(cannot)?;
    Url::from_file_path(&whole).map_err(|()| Failure::Usage {
        what: format!("{} is no file name", path.display()),
        hint: "Give the name of a file.".to_owned(),
    })
}
