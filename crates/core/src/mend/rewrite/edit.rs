//! Edits of a text, and what they are about.

use std::ops::Range;

use crate::mend::plan::Step;

/// A change of a source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// The bytes of the text that are replaced.
    pub range: Range<usize>,
    /// What replaces them.
    pub text: String,
}

/// A reference that is changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Its line, from 1.
    pub line: u32,
    /// What it led to.
    pub target: String,
    /// The reference as it was written.
    pub written: String,
    /// What the plan does with it.
    pub step: Step,
}

/// A reference that has to be changed by hand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ByHand {
    /// Its line, from 1; 0 if it is not known.
    pub line: u32,
    /// What it leads to.
    pub target: String,
    /// The reference as it is written.
    pub written: String,
    /// The text of the link, if it has any.
    pub text: Option<String>,
    /// Why it was not changed.
    pub why: &'static str,
}

/// A source after a plan was applied to it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Rewritten {
    /// The new text.
    pub text: String,
    /// What was changed, in order.
    pub changes: Vec<Change>,
    /// What was not.
    pub by_hand: Vec<ByHand>,
}

/// What was found in a text.
#[derive(Debug, Default)]
pub(super) struct Found {
    pub(super) edits: Vec<Edit>,
    pub(super) changes: Vec<Change>,
    pub(super) by_hand: Vec<ByHand>,
}

impl Found {
    /// Adds what was found in a part of the text that begins at this offset and line.
    pub(super) fn add_part(&mut self, part: Found, offset: usize, line: u32) {
        let moved = part
            .edits
            .into_iter()
            .map(|edit| Edit { range: edit.range.start + offset..edit.range.end + offset, ..edit });
        self.edits.extend(moved);
        let changes = part.changes.into_iter();
        self.changes.extend(changes.map(|one| Change { line: one.line + line - 1, ..one }));
        let by_hand = part.by_hand.into_iter();
        self.by_hand.extend(by_hand.map(|one| ByHand { line: one.line + line - 1, ..one }));
    }

    /// Makes the edits. Of two that overlap, the wider one counts, which removes the other's
    /// element.
    pub(super) fn apply(mut self, text: &str) -> Rewritten {
        self.edits.sort_by(|one, other| {
            one.range.start.cmp(&other.range.start).then(other.range.end.cmp(&one.range.end))
        });
        let mut new = String::with_capacity(text.len());
        let mut at = 0;
        for edit in &self.edits {
            if edit.range.start < at {
                continue;
            }
            new.push_str(&text[at..edit.range.start]);
            new.push_str(&edit.text);
            at = edit.range.end;
        }
        new.push_str(&text[at..]);
        self.changes.sort_by_key(|change| change.line);
        Rewritten { text: new, changes: self.changes, by_hand: self.by_hand }
    }
}
