//! References in HTML: the extractor finds the links, and the tag is looked at again for the bytes
//! of the value.

use std::ops::Range;

use super::edit::{ByHand, Change, Edit, Found};
use super::ground::{Ground, Hit};
use super::positions::Lines;
use super::tag::{Tag, end_tag, raw_end};
use crate::extract::elements::Attribute as LinkAttribute;
use crate::extract::reading::Link;
use crate::extract::{Extractor, Format, Limits};
use crate::mend::plan::Action;

pub(super) fn edits(text: &str, ground: &Ground<'_>, is_xml: bool) -> Found {
    let format = if is_xml { Format::Xhtml } else { Format::Html };
    let limits = Limits { bytes: usize::MAX, links: usize::MAX };
    let mut extractor = Extractor::of_url("", format, Some("utf-8"), limits, false);
    extractor.feed(text.as_bytes());
    let reading = extractor.finish();
    let ground = ground.with_base(reading.base());
    let lines = Lines::of(text);
    let mut found = Found::default();
    for link in reading.links() {
        let Some(hit) = ground.look_up(link.written) else { continue };
        let place = lines.offset(link.line, link.column);
        match edit(text, place, &link, &hit) {
            Ok(edits) => {
                found.edits.extend(edits);
                found.changes.push(Change {
                    line: link.line,
                    target: hit.target,
                    written: link.written.to_owned(),
                    step: hit.step,
                });
            }
            Err(why) => found.by_hand.push(ByHand {
                line: if link.column == 0 { 0 } else { link.line },
                target: hit.target,
                written: link.written.to_owned(),
                text: link.text.map(str::to_owned),
                why,
            }),
        }
    }
    found
}

/// The edits for one link, or why there are none.
fn edit(
    text: &str,
    place: Option<usize>,
    link: &Link<'_>,
    hit: &Hit<'_>,
) -> Result<Vec<Edit>, &'static str> {
    let place = place.ok_or("its position in the file is not known")?;
    let tag = Tag::at(text, place);
    match (hit.step.action, tag) {
        (Action::Replace, Some(tag)) => replace(text, &tag, link, hit),
        (Action::Replace, None) => inner(text, place, link, hit).map(|edit| vec![edit]),
        (Action::Unwrap, Some(tag)) => unwrap(text, place, &tag),
        (Action::Drop, Some(tag)) => drop_element(text, place, &tag, link),
        _ => Err("only a whole element can be removed"),
    }
}

/// Replaces the reference in the value of the attribute.
fn replace(
    text: &str,
    tag: &Tag<'_>,
    link: &Link<'_>,
    hit: &Hit<'_>,
) -> Result<Vec<Edit>, &'static str> {
    let attribute = tag.attribute(link.attribute.name());
    let attribute = attribute.ok_or("the tag has no such attribute here")?;
    let new = hit.new_reference(link.written).ok_or("the plan has no new URL")?;
    let value = &text[attribute.value.clone()];
    let decoded = Decoded::of(value).ok_or("the value has character references of rare names")?;
    let ranges = places(&decoded.text, link.written, link.attribute);
    if ranges.is_empty() {
        return Err("the reference is written in an unusual way");
    }
    let is_style = link.attribute.name() == "style";
    let escaped = escape(&new, attribute.quote, is_style);
    let edits = ranges.into_iter().map(|range| {
        let (start, end) = (decoded.raw(range.start), decoded.raw(range.end));
        let offset = attribute.value.start;
        Edit { range: offset + start..offset + end, text: escaped.clone() }
    });
    Ok(edits.collect())
}

/// Where the reference is in a decoded value. In most attributes it is the whole value without
/// the white space around it; in others, it stands between characters that cannot be part of it.
fn places(value: &str, written: &str, attribute: LinkAttribute) -> Vec<Range<usize>> {
    let is_space = |c: char| c <= ' ';
    let trimmed = value.trim_matches(is_space);
    let wanted = written.trim_matches(is_space);
    let is_list = attribute.name().ends_with("srcset");
    if trimmed == wanted && !is_list {
        let start = value.len() - value.trim_start_matches(is_space).len();
        return std::iter::once(start..start + trimmed.len()).collect();
    }
    if wanted.is_empty() {
        return Vec::new();
    }
    let is_end = |c: Option<char>| {
        c.is_none_or(|c| c <= ' ' || matches!(c, ',' | '\'' | '"' | '(' | ')' | ';' | '='))
    };
    value
        .match_indices(wanted)
        .filter(|(at, found)| {
            let after = &value[at + found.len()..];
            // A comma ends a candidate only before white space (HTML, "Parsing a srcset attribute").
            let is_whole = !is_list
                || after.chars().next().is_none_or(|c| c <= ' ')
                || after.starts_with(',') && after[1..].chars().next().is_none_or(|c| c <= ' ');
            is_whole && is_end(value[..*at].chars().next_back()) && is_end(after.chars().next())
        })
        .map(|(at, found)| at..at + found.len())
        .collect()
}

/// A reference in the text of an element: in a stylesheet or in structured data.
fn inner(text: &str, place: usize, link: &Link<'_>, hit: &Hit<'_>) -> Result<Edit, &'static str> {
    let new = hit.new_reference(link.written).ok_or("the plan has no new URL")?;
    super::css::edit_at(text, place, link.written, &new)
}

/// Removes the tags of an element and keeps its content.
fn unwrap(text: &str, start: usize, tag: &Tag<'_>) -> Result<Vec<Edit>, &'static str> {
    if !tag.name.eq_ignore_ascii_case("a") {
        return Err("only the text of an a element can be kept");
    }
    let end = end_tag(text, tag.end, tag.name).ok_or("the end of the element is not certain")?;
    let nothing = |range| Edit { range, text: String::new() };
    Ok(vec![nothing(start..tag.end), nothing(end)])
}

/// Removes an element.
fn drop_element(
    text: &str,
    start: usize,
    tag: &Tag<'_>,
    link: &Link<'_>,
) -> Result<Vec<Edit>, &'static str> {
    /// Elements without content (HTML, "Void elements").
    const VOID: &[&str] =
        &["img", "link", "source", "track", "embed", "area", "meta", "input", "image"];
    let name = link.element.name();
    let end = if VOID.contains(&name) {
        tag.end
    } else {
        let is_raw = matches!(name, "script" | "style" | "iframe");
        let end =
            if is_raw { raw_end(text, tag.end, name) } else { end_tag(text, tag.end, tag.name) };
        end.ok_or("the end of the element is not certain")?.end
    };
    Ok(vec![Edit { range: start..end, text: String::new() }])
}

/// A new reference as it is written in an attribute.
fn escape(new: &str, quote: Option<u8>, is_style: bool) -> String {
    let new = if is_style { super::css::escape(new) } else { new.to_owned() };
    let new = new.replace('&', "&amp;");
    match quote {
        Some(b'\'') => new.replace('\'', "&#39;"),
        Some(_) => new.replace('"', "&quot;"),
        None => new.replace('\'', "&#39;").replace('"', "&quot;"),
    }
}

/// A value with its character references decoded, and where each part of it comes from.
struct Decoded {
    text: String,
    /// Offsets in the text and in the raw value, where they begin to differ by another amount.
    steps: Vec<(usize, usize)>,
}

impl Decoded {
    /// `None` if it has character references with names that are not known here.
    fn of(raw: &str) -> Option<Decoded> {
        let mut decoded = Decoded { text: String::new(), steps: vec![(0, 0)] };
        let mut at = 0;
        while let Some(found) = raw[at..].find('&') {
            decoded.text.push_str(&raw[at..at + found]);
            at += found;
            let (c, length) = reference(&raw[at..])?;
            decoded.text.push(c);
            at += length;
            decoded.steps.push((decoded.text.len(), at));
        }
        decoded.text.push_str(&raw[at..]);
        Some(decoded)
    }

    /// The offset in the raw value.
    fn raw(&self, offset: usize) -> usize {
        let step = self.steps.partition_point(|(text, _)| *text <= offset) - 1;
        let (text, raw) = self.steps[step];
        raw + offset - text
    }
}

/// The character that a reference stands for, and its length; an ampersand that begins none is
/// itself.
fn reference(text: &str) -> Option<(char, usize)> {
    const NAMES: &[(&str, char)] = &[
        ("&amp;", '&'),
        ("&quot;", '"'),
        ("&apos;", '\''),
        ("&lt;", '<'),
        ("&gt;", '>'),
        ("&nbsp;", '\u{a0}'),
    ];
    if let Some((name, c)) = NAMES.iter().find(|(name, _)| text.starts_with(name)) {
        return Some((*c, name.len()));
    }
    if let Some(number) = text.strip_prefix("&#") {
        let (digits, radix, before) = match number.strip_prefix(['x', 'X']) {
            Some(digits) => (digits, 16, 3),
            None => (number, 10, 2),
        };
        let length = digits.find(|c: char| !c.is_digit(radix)).unwrap_or(digits.len());
        let c = u32::from_str_radix(&digits[..length], radix).ok().and_then(char::from_u32);
        return match c {
            Some(c) if digits[length..].starts_with(';') => Some((c, before + length + 1)),
            _ => None,
        };
    }
    let name = text[1..].find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(text.len() - 1);
    let ends = text[1 + name..].starts_with(';');
    // `&copy` without a semicolon stands for itself before a letter, digit or equals sign.
    (!ends).then_some(('&', 1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn character_references_are_decoded_or_refused() {
        for (raw, expected) in [
            ("a&amp;b&quot;", Some("a&b\"")),
            ("&#38;&#x26;&#X41;", Some("&&A")),
            ("a&b=c&copy=2&", Some("a&b=c&copy=2&")),
            ("a&;b", None),
            ("&eacute;", None),
            ("&#xD800;", None),
            ("&#65", None),
            ("é", Some("é")),
        ] {
            let decoded = Decoded::of(raw);
            assert_eq!(decoded.as_ref().map(|decoded| decoded.text.as_str()), expected, "{raw}");
        }
        let decoded = Decoded::of("a&amp;b&amp;c").unwrap();
        assert_eq!([0, 1, 2, 3, 4, 5].map(|at| decoded.raw(at)), [0, 1, 6, 7, 12, 13]);
    }

    #[test]
    fn a_reference_is_found_only_as_a_whole() {
        let srcset = LinkAttribute::named("srcset").unwrap();
        let style = LinkAttribute::named("style").unwrap();
        let href = LinkAttribute::named("href").unwrap();
        for (value, written, attribute, count) in [
            (" x ", "x", href, 1),
            ("xy", "x", href, 0),
            ("x, x 2x,x 3x", "x", srcset, 3),
            ("x,y 2x", "x", srcset, 0),
            ("y/x 2x", "x", srcset, 0),
            ("a:url(x);b:url('x')", "x", style, 2),
            ("a:url(x/y)", "x", style, 0),
            ("", "", srcset, 0),
        ] {
            assert_eq!(places(value, written, attribute).len(), count, "{value:?}");
        }
    }
}
