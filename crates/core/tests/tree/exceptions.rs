//! Intended differences from the tree that browsers build, with reasons.

/// What is not compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Part {
    Text,
    Region,
    All,
}

/// Markup that is parsed differently, how to recognize it, and what may differ.
pub(crate) struct Exception {
    reason: &'static str,
    applies: fn(&str) -> bool,
    pub(crate) part: Part,
}

pub(crate) const EXCEPTIONS: &[Exception] = &[
    Exception {
        reason: "an `a` that is open where a table begins: browsers move the text about",
        applies: |html| html.contains("<table"),
        part: Part::Text,
    },
    Exception {
        reason: "an `a` and a drawing that cross: browsers put the text after it into both",
        applies: |html| html.contains("<svg") || html.contains("<math"),
        part: Part::Text,
    },
    Exception {
        reason: "the same, where the drawing's script or title then belongs to HTML, or not",
        applies: |html| (html.contains("<svg") || html.contains("<math")) && crosses(html),
        part: Part::All,
    },
    Exception {
        reason: "a frameset after other elements: browsers take these away again, or not",
        applies: |html| html.contains("<frameset"),
        part: Part::All,
    },
    Exception {
        reason: "a formatting element that crosses others: browsers open it anew in what \
                 follows, and move what stands between",
        applies: crosses,
        part: Part::Text,
    },
    Exception { reason: "the same, with landmarks between", applies: crosses, part: Part::Region },
    Exception {
        reason: "a noscript in the head, which ends at the first element of the body",
        applies: |html| html.contains("<noscript "),
        part: Part::Region,
    },
    Exception {
        reason: "a p that holds a table, which it does where the page has no doctype",
        applies: |html| html.contains("<p ") && html.contains("<table"),
        part: Part::Region,
    },
];

const FORMATTING: &[&str] = &["a", "b", "em", "font", "i", "nobr", "strong"];

const VOID: &[&str] = &[
    "area", "base", "br", "embed", "frame", "hr", "image", "img", "input", "link", "meta", "source",
];

/// Whether a formatting element is not closed before the element around it, or not at all.
fn crosses(html: &str) -> bool {
    let mut open: Vec<&str> = Vec::new();
    for tag in html.split('<').skip(1) {
        let (tag, _) = tag.split_once('>').unwrap_or((tag, ""));
        let name = |tag: &'_ str| tag.split_whitespace().next().unwrap_or_default().len();
        match tag.strip_prefix('/') {
            Some(tag) => {
                let name = &tag[..name(tag)];
                let Some(at) = open.iter().rposition(|open| *open == name) else {
                    if FORMATTING.contains(&name) {
                        return true;
                    }
                    continue;
                };
                let inside: Vec<&str> = open.drain(at..).skip(1).collect();
                let crossed = inside.iter().any(|open| FORMATTING.contains(open));
                if crossed || (FORMATTING.contains(&name) && !inside.is_empty()) {
                    return true;
                }
            }
            None if VOID.contains(&&tag[..name(tag)]) => {}
            None => open.push(&tag[..name(tag)]),
        }
    }
    // What is open at the end may have been closed implicitly.
    open.iter().any(|open| FORMATTING.contains(open))
}

/// The exceptions that apply to a document.
pub(crate) fn of(html: &str) -> Vec<&'static Exception> {
    let html = html.to_ascii_lowercase();
    EXCEPTIONS.iter().filter(|exception| (exception.applies)(&html)).collect()
}

#[test]
fn every_exception_has_a_reason() {
    assert!(EXCEPTIONS.iter().all(|exception| exception.reason.len() > 20));
}
