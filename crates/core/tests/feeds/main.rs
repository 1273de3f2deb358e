//! The links of feeds, compared with those in the tree of an independent XML parser.

#![allow(clippy::unwrap_used, reason = "a test may")]

use proptest::prelude::*;
use roxmltree::{Document, Node};
use rummage_core::extract::Extractor;
use rummage_core::extract::reading::Format;

/// Each link as `element attribute written`.
type Links = Vec<(String, String, String)>;

fn ours(text: &str, piece: usize) -> Links {
    let mut extractor = Extractor::new(Format::Feed, Some("utf-8"), 1 << 20);
    for bytes in text.as_bytes().chunks(piece) {
        extractor.feed(bytes);
    }
    let reading = extractor.finish();
    assert!(!reading.faulty, "{text}");
    let named = |link: rummage_core::extract::reading::Link<'_>| {
        (link.element.name().to_owned(), link.attribute.name().to_owned(), link.written.to_owned())
    };
    reading.links().map(named).collect()
}

/// The same from the tree. In order of the document, but a text comes where its element ends: the
/// order does not matter, and is not compared.
fn theirs(text: &str) -> Links {
    let document = Document::parse(text).unwrap();
    let mut links: Links = document.descendants().filter_map(link).collect();
    links.sort();
    links
}

fn link(node: Node<'_, '_>) -> Option<(String, String, String)> {
    let name = node.is_element().then(|| node.tag_name().name())?;
    let around = node.parent_element()?.tag_name().name();
    let text = || {
        let parts = node.children().filter(|child| child.is_text());
        parts.filter_map(|part| part.text()).collect::<String>()
    };
    let (attribute, value) = match (around, name) {
        (_, "link") if node.has_attribute("href") => ("href", node.attribute("href")?.to_owned()),
        (_, "enclosure") => ("url", node.attribute("url")?.to_owned()),
        ("channel" | "item", "link") | ("item", "comments") => ("content", text()),
        ("item", "guid") => {
            let is_link = node.attribute("isPermaLink").is_none_or(|is| is == "true");
            ("content", Some(text()).filter(|text| is_link && text.contains("://"))?)
        }
        _ => return None,
    };
    // White space that no URL has (URL, "basic URL parser").
    let value = value.trim_matches(|c: char| c <= ' ');
    (!value.is_empty()).then(|| (name.to_owned(), attribute.to_owned(), value.to_owned()))
}

/// A text as XML may write it.
fn written() -> impl Strategy<Value = String> {
    let url = prop_oneof!["/[a-z]{1,5}", "https://[a-z]{1,4}\\.test/[a-z]?", Just(String::new())];
    (url, 0..6usize).prop_map(|(url, how)| match how {
        0 => format!("<![CDATA[{url}?a&b]]>"),
        1 => format!("{url}?a&amp;b&#x3c;"),
        2 => format!("\n  {url} "),
        3 => format!("<!-- > -->{url}<?pi > ?>"),
        4 => format!("{url}<b>nested</b>"),
        _ => url,
    })
}

fn element() -> impl Strategy<Value = String> {
    let name = prop::sample::select(vec!["link", "guid", "comments", "title", "description"]);
    let with_text = (name, written(), 0..4usize).prop_map(|(name, text, how)| match (name, how) {
        ("guid", 0) => format!("<guid isPermaLink='false'>{text}</guid>"),
        ("guid", 1) => format!("<guid isPermaLink=\"true\">{text}</guid>"),
        (name, _) => format!("<{name}>{text}</{name}>"),
    });
    let with_attribute = ("[a-z/]{0,6}", 0..3usize).prop_map(|(url, how)| match how {
        0 => format!("<enclosure url='{url}?a&amp;b'/>"),
        1 => format!("<link rel = 'alternate' href=\"{url}\"></link>"),
        _ => format!("<link\nhref='{url}' />"),
    });
    prop_oneof![3 => with_text, 1 => with_attribute]
}

fn feed() -> impl Strategy<Value = String> {
    let item = prop::collection::vec(element(), 0..6)
        .prop_map(|parts| format!("<item>{}</item>\n", parts.concat()));
    let parts = prop::collection::vec(prop_oneof![element(), item], 0..8);
    parts
        .prop_map(|parts| format!("<rss version='2.0'><channel>{}</channel></rss>", parts.concat()))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]

    #[test]
    fn links_are_those_in_the_tree_of_another_parser(text in feed(), piece in 1usize..60) {
        let mut found = ours(&text, piece);
        found.sort();
        prop_assert_eq!(found, theirs(&text), "{}", text);
    }
}
