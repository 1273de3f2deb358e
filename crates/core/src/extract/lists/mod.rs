//! Lists of URLs from users: text lines, tables, JSON Lines.
//!
//! From bytes to entries with their line numbers. A line that cannot be parsed is reported, and
//! everything before and after it still counts.

mod entry;
mod json;
mod lines;
pub mod table;

pub use entry::{Entry, Fault, LONGEST_LINE, List, is_url, url};
pub use json::json_lines;
pub use lines::lines;
pub use table::{Table, table};

/// The format of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// One URL per line.
    Lines,
    /// A table, such as CSV (RFC 4180).
    Table,
    /// One JSON value per line.
    JsonLines,
    /// An HTML page with links.
    Html,
    /// A sitemap or sitemap index (sitemaps.org protocol).
    Sitemap,
}

/// The format of a list: by the extension of its name, else by its first characters.
#[must_use]
pub fn kind_of(name: &str, bytes: &[u8]) -> Kind {
    let name = name.to_ascii_lowercase();
    let name = name.strip_suffix(".gz").unwrap_or(&name);
    match name.rsplit_once('.').map(|(_, extension)| extension) {
        Some("csv" | "tsv" | "tab") => return Kind::Table,
        Some("html" | "htm" | "xhtml") => return Kind::Html,
        Some("xml") => return Kind::Sitemap,
        Some("jsonl" | "ndjson" | "json") => return Kind::JsonLines,
        _ => {}
    }
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(4096)]).to_ascii_lowercase();
    let start = start.trim_start_matches('\u{feff}').trim_start();
    let first = start.lines().find(|line| !line.trim().is_empty() && !line.starts_with('#'));
    if start.starts_with("<!doctype html") || start.starts_with("<html") {
        Kind::Html
    } else if start.starts_with("<?xml") || start.starts_with("<urlset") {
        if start.contains("<html") { Kind::Html } else { Kind::Sitemap }
    } else if start.starts_with('<') && !start.starts_with("<http") {
        Kind::Html
    } else if start.starts_with('{') {
        Kind::JsonLines
    } else if first.is_some_and(table::looks_like_row) {
        Kind::Table
    } else {
        Kind::Lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formats_are_recognized_by_name_or_content() {
        for (name, text, kind) in [
            ("all.csv", "", Kind::Table),
            ("all.csv.gz", "", Kind::Table),
            ("SITEMAP.XML", "", Kind::Sitemap),
            ("-", "<?xml version='1.0'?><urlset>", Kind::Sitemap),
            ("-", "<?xml version='1.0'?><html>", Kind::Html),
            ("-", " <!DOCTYPE html><a href=x>", Kind::Html),
            ("-", "{\"url\":\"https://a.test/\"}", Kind::JsonLines),
            ("-", "https://a.test/x?a=1,2\nhttps://a.test/y", Kind::Lines),
            ("-", "# mine\nid;address\n1;https://a.test/", Kind::Table),
            ("list", "https://a.test/", Kind::Lines),
            ("-", "<https://a.test/>", Kind::Lines),
        ] {
            assert_eq!(kind_of(name, text.as_bytes()), kind, "{name} {text}");
        }
    }
}
