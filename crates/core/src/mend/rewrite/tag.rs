//! A start tag in the source: where the values of its attributes are (HTML, "Tokenization", from
//! the tag name state to the after attribute value state).

use std::ops::Range;

/// A start tag.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Tag<'a> {
    /// The name as it is written.
    pub(super) name: &'a str,
    pub(super) attributes: Vec<Attribute<'a>>,
    /// The offset after its `>`.
    pub(super) end: usize,
}

/// An attribute.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Attribute<'a> {
    /// The name as it is written.
    pub(super) name: &'a str,
    /// The value, without quotes.
    pub(super) value: Range<usize>,
    /// The quote around the value, if any.
    pub(super) quote: Option<u8>,
}

impl<'a> Tag<'a> {
    /// The tag that begins at this offset; `None` if none does, or it does not end.
    pub(super) fn at(text: &'a str, start: usize) -> Option<Tag<'a>> {
        let bytes = text.as_bytes();
        if *bytes.get(start)? != b'<' || !bytes.get(start + 1)?.is_ascii_alphabetic() {
            return None;
        }
        let is_space = |byte: u8| byte.is_ascii_whitespace();
        let run = |from: usize, ends: &dyn Fn(u8) -> bool| {
            from + bytes[from..].iter().take_while(|byte| !ends(**byte)).count()
        };
        let mut at = run(start + 1, &|byte| is_space(byte) || byte == b'/' || byte == b'>');
        let name = &text[start + 1..at];
        let mut attributes = Vec::new();
        loop {
            at = run(at, &|byte| !is_space(byte) && byte != b'/');
            if *bytes.get(at)? == b'>' {
                return Some(Tag { name, attributes, end: at + 1 });
            }
            let begin = at;
            // An equals sign right at the start belongs to the name.
            at = run(at + 1, &|byte| is_space(byte) || matches!(byte, b'/' | b'>' | b'='));
            let name = &text[begin..at];
            let equals = run(at, &|byte| !is_space(byte));
            if bytes.get(equals) != Some(&b'=') {
                attributes.push(Attribute { name, value: at..at, quote: None });
                continue;
            }
            at = run(equals + 1, &|byte| !is_space(byte));
            let (value, quote) = match *bytes.get(at)? {
                quote @ (b'"' | b'\'') => {
                    let end = run(at + 1, &|byte| byte == quote);
                    bytes.get(end)?;
                    (at + 1..end, Some(quote))
                }
                b'>' => (at..at, None),
                _ => (at..run(at, &|byte| is_space(byte) || byte == b'>'), None),
            };
            at = value.end + usize::from(quote.is_some());
            attributes.push(Attribute { name, value, quote });
        }
    }

    /// The attribute with this name, given in lower case: the first counts.
    pub(super) fn attribute(&self, name: &str) -> Option<&Attribute<'a>> {
        self.attributes.iter().find(|attribute| attribute.name.eq_ignore_ascii_case(name))
    }
}

/// The range of the end tag that ends the content that begins at this offset. Comments and the
/// text of scripts and stylesheets are skipped. `None` if there is none, or if an element of the
/// same name begins first.
pub(super) fn end_tag(text: &str, from: usize, name: &str) -> Option<Range<usize>> {
    let mut at = from;
    loop {
        at += text[at..].find('<')?;
        let rest = &text[at..];
        if rest.starts_with("<!--") {
            at += rest.find("-->")? + 3;
            continue;
        }
        if let Some(tag) = Tag::at(text, at) {
            if tag.name.eq_ignore_ascii_case(name) {
                return None;
            }
            let is_raw = ["script", "style", "textarea", "title"]
                .into_iter()
                .find(|raw| tag.name.eq_ignore_ascii_case(raw));
            at = match is_raw {
                Some(raw) => raw_end(text, tag.end, raw)?.end,
                None => tag.end,
            };
            continue;
        }
        if let Some(range) = end_tag_at(text, at, name) {
            return Some(range);
        }
        at += 1;
    }
}

/// The range of the end tag of raw text.
pub(super) fn raw_end(text: &str, from: usize, name: &str) -> Option<Range<usize>> {
    let mut at = from;
    loop {
        at += text[at..].find("</")?;
        if let Some(range) = end_tag_at(text, at, name) {
            return Some(range);
        }
        at += 2;
    }
}

/// The range of the end tag of this name at this offset.
fn end_tag_at(text: &str, at: usize, name: &str) -> Option<Range<usize>> {
    let rest = text[at..].strip_prefix("</")?;
    let same = rest.get(..name.len())?.eq_ignore_ascii_case(name);
    let after = rest.as_bytes().get(name.len())?;
    if !same || !(after.is_ascii_whitespace() || matches!(after, b'>' | b'/')) {
        return None;
    }
    Some(at..at + 2 + rest.find('>')? + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_found_however_they_are_written() {
        for (text, name, value) in [
            ("<a href=x>", "href", Some("x")),
            ("<a href = 'x y' id=1>", "href", Some("x y")),
            ("<A HREF=\"a>b\">", "href", Some("a>b")),
            ("<a href>", "href", Some("")),
            ("<a href=>", "href", Some("")),
            ("<a/href=x/y/>", "href", Some("x/y/")),
            ("<a id=1 href=a href=b>", "href", Some("a")),
            ("<a\n\thref\n=\nx\n>", "href", Some("x")),
            ("<a =href=x>", "href", None),
            ("<a title='href=x'>", "href", None),
            ("<a title='>' href=x>", "href", Some("x")),
            ("<a href='x", "href", None),
        ] {
            let tag = Tag::at(text, 0);
            let found = tag.as_ref().and_then(|tag| tag.attribute(name));
            assert_eq!(found.map(|found| &text[found.value.clone()]), value, "{text}");
        }
        assert_eq!(Tag::at("< a>", 0), None);
        assert_eq!(Tag::at("</a>", 0), None);
    }

    #[test]
    fn the_end_tag_is_the_one_that_ends_the_element() {
        for (text, expected) in [
            ("x</a>y", Some("</a>")),
            ("x<!-- </a> --><b></b></A >y", Some("</A >")),
            ("<script>'</a>'</script></a>", Some("</a>")),
            ("x</article></a>", Some("</a>")),
            ("x<a>y</a>", None),
            ("x", None),
        ] {
            let found = end_tag(text, 0, "a");
            assert_eq!(found.map(|range| &text[range]), expected, "{text}");
        }
    }
}
