//! References in templates and data files, whose syntax is not known: absolute URLs, and those
//! from the root between quotes or brackets.

use super::edit::{ByHand, Change, Edit, Found};
use super::ground::Ground;
use super::positions::Lines;
use crate::mend::plan::Action;

pub(super) fn edits(text: &str, ground: &Ground<'_>) -> Found {
    let lines = Lines::of(text);
    let mut found = Found::default();
    let mut at = 0;
    while at < text.len() {
        let rest = &text[at..];
        let is_first = text[..at].chars().next_back().is_none_or(ends);
        if !is_first || !begins(rest) {
            at += rest.chars().next().map_or(1, char::len_utf8);
            continue;
        }
        let length = rest.find(ends).unwrap_or(rest.len());
        let mut token = &rest[..length];
        let mut hit = None;
        // A full stop or comma after a URL in a text is not part of it.
        while !token.is_empty() && hit.is_none() {
            hit = ground.look_up(token);
            if hit.is_none() {
                let shorter = token.strip_suffix(['.', ',', ';', ':', '!', '?']);
                let Some(shorter) = shorter else { break };
                token = shorter;
            }
        }
        if let Some(hit) = hit {
            let (line, target) = (lines.line(at), hit.target.clone());
            let written = token.to_owned();
            match hit.new_reference(token) {
                Some(new) if hit.step.action == Action::Replace => {
                    found.edits.push(Edit { range: at..at + token.len(), text: new });
                    found.changes.push(Change { line, target, written, step: hit.step });
                }
                _ => found.by_hand.push(ByHand {
                    line,
                    target,
                    written,
                    text: None,
                    why: "the syntax of the file is not known",
                }),
            }
        }
        at += length.max(1);
    }
    found
}

/// Whether a reference begins here.
fn begins(rest: &str) -> bool {
    let starts =
        |start: &str| rest.get(..start.len()).is_some_and(|s| s.eq_ignore_ascii_case(start));
    starts("http://") || starts("https://") || rest.starts_with('/')
}

/// What cannot be part of a URL, or is not where a URL is written in a text.
fn ends(c: char) -> bool {
    c.is_whitespace() || c.is_control() || "\"'<>`()[]{}|\\".contains(c)
}
