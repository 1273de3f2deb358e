//! References in stylesheets: `url()` and `@import`.

use super::edit::{ByHand, Change, Edit, Found};
use super::ground::Ground;
use super::positions::Lines;
use crate::extract::{Extractor, Format, Limits};
use crate::mend::plan::Action;

pub(super) fn edits(text: &str, ground: &Ground<'_>) -> Found {
    let limits = Limits { bytes: usize::MAX, links: usize::MAX };
    let mut extractor = Extractor::of_url("", Format::Css, Some("utf-8"), limits, false);
    extractor.feed(text.as_bytes());
    let reading = extractor.finish();
    let lines = Lines::of(text);
    let mut found = Found::default();
    for link in reading.links() {
        let Some(hit) = ground.look_up(link.written) else { continue };
        let edit = match (hit.step.action, lines.offset(link.line, link.column)) {
            (Action::Replace, Some(place)) => match hit.new_reference(link.written) {
                Some(new) => edit_at(text, place, link.written, &new),
                None => Err("the plan has no new URL"),
            },
            (Action::Replace, None) => Err("its position in the file is not known"),
            _ => Err("a declaration in a stylesheet is not removed"),
        };
        let (line, target, written) = (link.line, hit.target, link.written.to_owned());
        match edit {
            Ok(edit) => {
                found.edits.push(edit);
                found.changes.push(Change { line, target, written, step: hit.step });
            }
            Err(why) => found.by_hand.push(ByHand { line, target, written, text: None, why }),
        }
    }
    found
}

/// How far after its position a reference begins: after `@import url("` and white space.
const NEAR: usize = 64;

/// Replaces the reference that begins soon after this offset.
pub(super) fn edit_at(
    text: &str,
    place: usize,
    written: &str,
    new: &str,
) -> Result<Edit, &'static str> {
    const UNUSUAL: &str = "the reference is written in an unusual way";
    let written = written.trim();
    let rest = &text[place..];
    let end = rest.floor_char_boundary(written.len() + NEAR);
    // JSON may have its slashes escaped (RFC 8259 §7).
    let forms = [written.to_owned(), written.replace('/', "\\/")];
    let found = forms.iter().enumerate().find_map(|(number, form)| {
        let at =
            rest[..end.max(rest.floor_char_boundary(form.len() + NEAR))].find(form.as_str())?;
        (!form.is_empty()).then_some((number, at, form.len()))
    });
    let (number, at, length) = found.ok_or(UNUSUAL)?;
    let before = rest[..at].chars().next_back();
    let after = rest[at + length..].chars().next();
    let is_edge =
        |c: Option<char>| c.is_none_or(|c| c <= ' ' || matches!(c, '(' | ')' | '"' | '\''));
    if at > 0 && !is_edge(before) || !is_edge(after) {
        return Err(UNUSUAL);
    }
    let mut new = escape(new);
    if number == 1 {
        new = new.replace('/', "\\/");
    }
    Ok(Edit { range: place + at..place + at + length, text: new })
}

/// A URL as it may be written anywhere in a stylesheet (CSS Syntax, "url-token").
pub(super) fn escape(url: &str) -> String {
    url.replace('\'', "%27").replace('(', "%28").replace(')', "%29").replace('"', "%22")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn edited(text: &str, place: usize) -> Option<String> {
        let Edit { range, text: new } = edit_at(text, place, "/old", "/new").ok()?;
        Some(format!("{}{new}{}", &text[..range.start], &text[range.end..]))
    }

    #[test]
    fn only_a_whole_reference_is_replaced() {
        assert_eq!(edited("a { b: url(/old) }", 7).as_deref(), Some("a { b: url(/new) }"));
        assert_eq!(edited("x/old y", 1).as_deref(), Some("x/new y"), "it begins where it should");
        for text in ["url(x/old)", "url(/older)", "url(y)"] {
            assert_eq!(edited(text, 0), None, "{text}");
        }
    }
}
