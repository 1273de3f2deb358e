//! The links in html5ever's tree, found by an independent traversal.

use std::collections::BTreeMap;

use html5ever::tendril::TendrilSink;
use html5ever::tree_builder::TreeBuilderOpts;
use html5ever::{ParseOpts, parse_document};
use markup5ever_rcdom::{Handle, NodeData, RcDom};

use crate::documents::Numbered;

/// One element of the source, with its copies in the tree taken together.
#[derive(Default)]
struct Element {
    links: Vec<String>,
    region: Option<&'static str>,
    name: String,
    text: Option<String>,
}

pub(crate) fn links(document: &Numbered) -> Vec<String> {
    let options = ParseOpts {
        tree_builder: TreeBuilderOpts { scripting_enabled: false, ..TreeBuilderOpts::default() },
        ..ParseOpts::default()
    };
    let dom = parse_document(RcDom::default(), options).one(document.text.as_str());
    let mut elements = BTreeMap::new();
    visit(&dom.document, None, &mut elements);
    let mut lines = Vec::new();
    for (number, element) in elements {
        let Some(&(line, column)) = document.positions.get(number) else { continue };
        let text = element.text.map(|text| fold(&text)).unwrap_or("-".to_owned());
        for link in element.links {
            let (attribute, written) = link.split_once(' ').unwrap();
            let region = element.region.unwrap_or("-");
            let name = &element.name;
            lines.push(format!(
                "{line}:{column} {name} {attribute} in {region} {written:?} {text:?}"
            ));
        }
    }
    lines
}

fn fold(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

fn visit(node: &Handle, region: Option<&'static str>, found: &mut BTreeMap<usize, Element>) {
    let mut region = region;
    if let NodeData::Element { name, attrs, .. } = &node.data {
        let attrs = attrs.borrow();
        let value = |wanted: &str| {
            let full = |a: &&html5ever::Attribute| match &a.name.prefix {
                Some(prefix) => format!("{prefix}:{}", a.name.local) == wanted,
                None => &*a.name.local == wanted,
            };
            attrs.iter().find(full).map(|a| a.value.to_string())
        };
        let is_html = &*name.ns == "http://www.w3.org/1999/xhtml";
        let local = name.local.to_ascii_lowercase();
        // Their contents are not shown.
        if &*local == "template" || (!is_html && matches!(&*local, "script" | "style")) {
            return;
        }
        region = value("role")
            .and_then(|role| role.split_whitespace().find_map(by_role))
            .or(landmark(&local).filter(|_| is_html))
            .or(region);
        let links = of_element(&local, is_html, &value);
        if let (Some(number), false) = (value("data-n"), links.is_empty()) {
            let element = found.entry(number.parse().unwrap()).or_insert_with(|| {
                let alt = value("alt").filter(|_| matches!(&*local, "img" | "area" | "input"));
                // Nonstandard names are not kept.
                let name = if &*local == "my-card" { "other" } else { &*local };
                Element { links, region, name: name.to_owned(), text: alt }
            });
            if &*local == "a" && element.links.iter().any(|link| !link.starts_with("style ")) {
                collect(node, element.text.get_or_insert_default());
            }
        }
    }
    for child in node.children.borrow().iter() {
        visit(child, region, found);
    }
}

fn of_element(name: &str, is_html: bool, value: &impl Fn(&str) -> Option<String>) -> Vec<String> {
    let mut links = Vec::new();
    let attributes: &[&str] = match name {
        "a" if !is_html => &["href", "xlink:href"],
        "image" | "use" if !is_html => &["href", "xlink:href"],
        "a" | "area" | "link" => &["href"],
        "img" | "script" | "frame" | "embed" | "audio" | "track" | "iframe" | "source" => &["src"],
        "video" => &["src", "poster"],
        "object" => &["data"],
        "body" => &["background"],
        "form" if !value("method").is_some_and(|m| m.trim().eq_ignore_ascii_case("post")) => {
            &["action"]
        }
        "input" if value("type").is_some_and(|t| t.trim().eq_ignore_ascii_case("image")) => {
            &["src"]
        }
        _ => &[],
    };
    for attribute in attributes {
        let Some(written) = value(attribute) else { continue };
        let visit = matches!(name, "a" | "area" | "iframe" | "frame");
        let of_part = matches!(name, "image" | "use") && written.trim().starts_with('#');
        let hidden = *attribute == "xlink:href" && value("href").is_some();
        if (visit || !written.trim_matches(|c| c <= ' ').is_empty()) && !of_part && !hidden {
            links.push(format!("{attribute} {written}"));
        }
    }
    // Generated candidates have one URL each, and nothing else.
    if matches!(name, "img" | "source")
        && is_html
        && let Some(srcset) = value("srcset")
    {
        links.push(format!("srcset {srcset}"));
    }
    // Generated styles have one URL each.
    if let Some(style) = value("style")
        && let Some((_, rest)) = style.split_once("url(")
        && let Some((url, _)) = rest.split_once(')')
    {
        links.push(format!("style {url}"));
    }
    links
}

fn collect(node: &Handle, text: &mut String) {
    for child in node.children.borrow().iter() {
        match &child.data {
            NodeData::Text { contents } => text.push_str(&contents.borrow()),
            NodeData::Element { name, attrs, .. } => {
                let is_html = &*name.ns == "http://www.w3.org/1999/xhtml";
                match &*name.local {
                    "script" | "style" => continue,
                    "textarea" | "title" | "xmp" | "iframe" | "noembed" | "noframes"
                    | "plaintext"
                        if is_html =>
                    {
                        continue;
                    }
                    "img" => {
                        let attrs = attrs.borrow();
                        if let Some(alt) = attrs.iter().find(|a| &*a.name.local == "alt") {
                            text.push_str(&format!(" {} ", alt.value));
                        }
                    }
                    _ => {}
                }
                collect(child, text);
            }
            _ => {}
        }
    }
}

fn landmark(name: &str) -> Option<&'static str> {
    ["header", "nav", "main", "aside", "footer"].into_iter().find(|known| *known == name)
}

fn by_role(role: &str) -> Option<&'static str> {
    match role.to_ascii_lowercase().as_str() {
        "banner" => Some("header"),
        "navigation" => Some("nav"),
        "main" => Some("main"),
        "complementary" => Some("aside"),
        "contentinfo" => Some("footer"),
        _ => None,
    }
}
