//! The URLs in a web app manifest (W3C, "Web Application Manifest"): where the app starts, its
//! icons and screenshots, and its shortcuts.
//!
//! `id` and `scope` are no links, and patterns such as `/share?url=%s` are no URLs. Everything
//! before an error counts.

use super::collector::{self, LinkContent, TagContext};
use super::elements::{Attribute, Element};
use super::json;
use super::lines::Cursor;
use crate::extract::reading_builder::ReadingBuilder;

/// Parses a manifest, which arrives in one piece.
pub(super) fn read(text: &str, most_links: usize) -> Box<ReadingBuilder> {
    let mut builder = Box::new(ReadingBuilder::new(most_links));
    let mut cursor = Cursor::default();
    let mut positions = Vec::new();
    let is_whole = json::strings(text, |path, value, at| {
        let Some(property) = property(path) else { return };
        if value.trim().is_empty() || value.contains("%s") {
            return;
        }
        let tag = u32::try_from(positions.len()).expect("manifests are shorter than 4 GiB");
        positions.push(cursor.advance_to(at, &text[cursor.offset()..]));
        let content = LinkContent {
            element: Element::MANIFEST,
            attribute: Attribute::CONTENT,
            written: &value,
            text: None,
            rel: Some(property),
            title: None,
        };
        collector::add(&mut builder, TagContext::bare(tag), content);
    });
    if !is_whole {
        builder.set_faulty();
    }
    for link in builder.links_from(0) {
        (link.line, link.column) = positions[link.line as usize];
    }
    builder
}

/// What a string is, if it is a URL: the member of the manifest with it.
fn property(path: &[String]) -> Option<&str> {
    let names: Vec<&str> = path.iter().map(String::as_str).collect();
    match names.as_slice() {
        ["start_url"] => Some("start_url"),
        [list @ ("icons" | "screenshots"), "src"] => Some(list),
        ["shortcuts", "url"] => Some("shortcuts"),
        ["shortcuts", "icons", "src"] => Some("icons"),
        ["related_applications", "url"] => Some("related_applications"),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use crate::extract::Extractor;
    use crate::extract::reading::Format;

    fn links(text: &str) -> (Vec<String>, bool) {
        let mut extractor = Extractor::new(Format::Manifest, None, 1 << 20);
        for piece in text.as_bytes().chunks(5) {
            extractor.feed(piece);
        }
        let reading = extractor.finish();
        let show = |link: crate::extract::reading::Link<'_>| {
            let rel = link.rel.unwrap_or_default();
            format!("{}:{} {} {rel}", link.line, link.column, link.written)
        };
        (reading.links().map(show).collect(), reading.faulty)
    }

    #[test]
    fn members_with_urls_count() {
        let text = r#"{
  "name": "Ashlock", "id": "/app", "scope": "/", "start_url": "/?from=app",
  "icons": [{"src": "icon.png", "sizes": "64x64"}, {"src": "\/big.png"}],
  "screenshots": [{"src": "s.png"}],
  "shortcuts": [{"name": "Visit", "url": "/visit/", "icons": [{"src": "v.png"}]}],
  "protocol_handlers": [{"protocol": "web+x", "url": "/x?%s"}],
  "related_applications": [{"url": "https://apps.test/1"}, {"url": "https://apps.test/%s"}]
}"#;
        let expected = [
            "2:63 /?from=app start_url",
            "3:21 icon.png icons",
            "3:60 /big.png icons",
            "4:27 s.png screenshots",
            "5:42 /visit/ shortcuts",
            "5:71 v.png icons",
            "7:36 https://apps.test/1 related_applications",
        ];
        assert_eq!(links(text), (expected.map(str::to_owned).to_vec(), false));
    }

    #[test]
    fn what_comes_before_an_error_counts() {
        let (found, faulty) = links(r#"{"icons": [{"src": "a.png"}, ]}"#);
        assert_eq!((found.len(), faulty), (1, true));
        assert_eq!(links("<html>"), (Vec::new(), true));
        assert_eq!(
            links("\u{feff}{\"start_url\": \"/\"}"),
            (vec!["1:15 / start_url".to_owned()], false)
        );
    }
}
