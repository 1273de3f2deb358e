//! The entries of a list, in any format.

use url::Url;

use crate::extract::elements::{Attribute, Element};
use crate::extract::reading::{Format, LinkRecord, Reading};
use crate::extract::reading_builder::ReadingBuilder;
use crate::url::userinfo::masked;

/// The longest line that is read; no list has longer ones.
pub const LONGEST_LINE: usize = 1 << 20;

/// A URL in a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// As written, with `https://` added if it has no scheme.
    pub written: String,
    /// It has no scheme: http is tried after https, as browsers do.
    pub bare: bool,
    /// The line, from 1.
    pub line: u32,
}

impl Entry {
    /// The entry that this text is, in this line.
    #[must_use]
    pub fn of(text: &str, line: u32) -> Entry {
        Entry { written: url(text), bare: looks_like_host(text.trim()), line }
    }
}

/// A line of a list that could not be parsed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The line, from 1.
    pub line: u32,
    /// What is wrong there.
    pub what: String,
}

/// A parsed list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct List {
    /// The URLs, in order.
    pub entries: Vec<Entry>,
    /// The lines that could not be parsed.
    pub faults: Vec<Fault>,
}

impl List {
    /// The list as a page that links to its entries.
    #[must_use]
    pub fn reading(&self) -> Reading {
        let mut builder = ReadingBuilder::default();
        builder.set_format(Format::List);
        for entry in &self.entries {
            let written = builder.keep(&masked(&entry.written));
            builder.add_link(LinkRecord {
                element: Element::ENTRY,
                attribute: if entry.bare { Attribute::HOST } else { Attribute::CONTENT },
                written,
                text: None,
                rel: None,
                title: None,
                region: None,
                ancestor_hash: 0,
                scripted: false,
                line: entry.line,
                column: 1,
            });
        }
        builder.finish(false)
    }
}

/// An entry as a URL that can be requested: `https://` is added to a host name without a scheme.
/// Anything that is not a URL stays as it is, and is reported as such.
#[must_use]
pub fn url(written: &str) -> String {
    let written = written.trim();
    if looks_like_host(written) { format!("https://{written}") } else { written.to_owned() }
}

/// Whether a text is an HTTP URL, or would be one with a scheme.
#[must_use]
pub fn is_url(text: &str) -> bool {
    let text = text.trim();
    let is_web = Url::parse(text).is_ok_and(|url| matches!(url.scheme(), "http" | "https"));
    is_web || looks_like_host(text)
}

/// Whether it begins with a host name, or a port on this machine: `www.a.test/x`.
fn looks_like_host(text: &str) -> bool {
    let end = text.find(['/', '?', '#']).unwrap_or(text.len());
    let host = text[..end].split(':').next().unwrap_or_default();
    let is_plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '.' | '_');
    let last = host.rsplit('.').next().unwrap_or_default();
    let port = text[host.len()..end].strip_prefix(':');
    host.contains('.')
        && !host.starts_with('.')
        && host.chars().all(is_plain)
        && (last.len() > 1 && last.chars().all(char::is_alphabetic)
            || host.parse::<std::net::Ipv4Addr>().is_ok())
        && port.is_none_or(|port| port.parse::<u16>().is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn host_names_without_a_scheme_are_urls() {
        for text in ["www.a.test", "a.test/x?y", "a.test:8443/", "192.0.2.7/x", "münchen.test"] {
            assert!(is_url(text) && url(text).starts_with("https://"), "{text}");
        }
        for text in ["x", "/x", "12.5", "a b.test", "e.g.", "", "a.test:x", "notes.2"] {
            assert!(!is_url(text), "{text}");
        }
        assert_eq!(url(" http://a.test/ "), "http://a.test/");
    }
}
