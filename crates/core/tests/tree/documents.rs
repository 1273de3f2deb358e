//! Documents to compare: made from pieces, and from real markup with mutations.

use proptest::prelude::*;

/// Markup that people and programs have written, in small.
pub(crate) const CORPUS: &[(&str, &str)] = &[
    ("a manual of frames", include_str!("corpus/frames.html")),
    ("an old page of tables", include_str!("corpus/tables.html")),
    ("a page of landmarks", include_str!("corpus/landmarks.html")),
    ("a page with drawings", include_str!("corpus/drawings.html")),
    ("unclosed and crossing", include_str!("corpus/unclosed.html")),
];

/// A document in which every start tag has a number, and the positions of these tags.
pub(crate) struct Numbered {
    pub(crate) text: String,
    /// Line and column of each `<`, by its number.
    pub(crate) positions: Vec<(u32, u32)>,
}

impl Numbered {
    pub(crate) fn new(markup: &str) -> Numbered {
        let mut text = String::new();
        let mut positions = Vec::new();
        let mut rest = markup;
        while let Some(at) = rest.find('<') {
            let after = &rest[at + 1..];
            let name = after.find(|c: char| !c.is_ascii_alphanumeric() && c != '-');
            let name = &after[..name.unwrap_or(after.len())];
            text.push_str(&rest[..at]);
            if name.starts_with(|c: char| c.is_ascii_alphabetic()) {
                let number = positions.len();
                positions.push(position(&text));
                text.push_str(&format!("<{name} data-n=\"{number}\" "));
                rest = &after[name.len()..];
            } else {
                text.push('<');
                rest = after;
            }
        }
        text.push_str(rest);
        Numbered { text, positions }
    }
}

/// Line and column at the end of a text, counted the simple way.
fn position(before: &str) -> (u32, u32) {
    let normal = before.replace("\r\n", "\n").replace('\r', "\n");
    let line = normal.matches('\n').count() + 1;
    let column = normal.rsplit('\n').next().unwrap().chars().count() + 1;
    (u32::try_from(line).unwrap(), u32::try_from(column).unwrap())
}

const NAMES: &[&str] = &[
    "a",
    "a",
    "a",
    "a",
    "address",
    "article",
    "aside",
    "b",
    "blockquote",
    "button",
    "caption",
    "col",
    "dd",
    "details",
    "div",
    "div",
    "div",
    "dl",
    "dt",
    "em",
    "fieldset",
    "figure",
    "font",
    "footer",
    "form",
    "h1",
    "h2",
    "header",
    "i",
    "label",
    "li",
    "li",
    "main",
    "nav",
    "nav",
    "noscript",
    "object",
    "ol",
    "p",
    "p",
    "pre",
    "ruby",
    "rt",
    "section",
    "span",
    "span",
    "strong",
    "summary",
    "table",
    "table",
    "tbody",
    "td",
    "td",
    "template",
    "th",
    "thead",
    "tr",
    "ul",
    "svg",
    "g",
    "foreignObject",
    "desc",
    "math",
    "mi",
    "mtext",
    "my-card",
    "video",
    "marquee",
    "nobr",
    "center",
    "noframes",
    "textarea",
    "title",
    "script",
    "style",
    "iframe",
];

const VOID: &[&str] = &[
    "<img src=i.png alt=pic>",
    "<br>",
    "<input type=image src=in.png alt=go>",
    "<hr>",
    "<area href=area alt=spot>",
    "<link rel=icon href=l.ico>",
    "<embed src=e>",
    "<image src=old.png>",
    "<use href=s.svg#x />",
    "<path d=x />",
    "<source src=s.mp4>",
    "<base href=/base>",
    "<!-- <a href=no> -->",
    "<![CDATA[ <a href=no> ]]>",
    "<!DOCTYPE html>",
    "</p>",
    "</br>",
    "&amp;",
    "words ",
    "\n",
    "\r\n",
    "é",
];

fn start_tag() -> impl Strategy<Value = String> {
    let attributes = prop::sample::select(vec![
        "",
        "",
        "",
        " href=x",
        " href='y z'",
        " href=\"?a&amp;b=1&copy\"",
        " role=navigation",
        " role=main",
        " role='none banner'",
        " style='background:url(b.png)'",
        " src=s",
        " data=d",
        " action=act",
        " method=post action=act",
        " xlink:href=xl",
        " HREF=up ROLE=contentinfo",
        " /",
    ]);
    (prop::sample::select(NAMES.to_vec()), attributes).prop_map(|(name, attributes)| {
        // An `a` without a URL is not a link.
        let href = if name == "a" && attributes.is_empty() { " href=link" } else { "" };
        format!("<{name}{href}{attributes}>")
    })
}

pub(crate) fn generated() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        4 => start_tag(),
        3 => prop::sample::select(NAMES.to_vec()).prop_map(|name| format!("</{name}>")),
        3 => prop::sample::select(VOID.to_vec()).prop_map(str::to_owned),
    ];
    prop::collection::vec(piece, 0..40).prop_map(|pieces| pieces.concat())
}

/// Tags of the corpus removed, duplicated and moved.
pub(crate) fn mutated() -> impl Strategy<Value = String> {
    let document = prop::sample::select(CORPUS.to_vec()).prop_map(|(_, markup)| markup);
    let change = (any::<prop::sample::Index>(), any::<prop::sample::Index>(), 0u8..3);
    (document, prop::collection::vec(change, 0..12)).prop_map(|(markup, changes)| {
        let mut tags: Vec<&str> = markup.split_inclusive('>').collect();
        for (one, other, change) in changes {
            if tags.is_empty() {
                break;
            }
            let (one, other) = (one.index(tags.len()), other.index(tags.len()));
            match change {
                0 => {
                    tags.remove(one);
                }
                1 => tags.insert(one, tags[other]),
                _ => tags.swap(one, other),
            }
        }
        tags.concat()
    })
}
