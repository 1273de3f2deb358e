//! Applies a plan to a source: finds the references that it concerns, and says which bytes change.
//!
//! A reference keeps its style: a relative one stays relative where the new URL allows it. Nothing
//! else in the source changes. What cannot be changed safely is returned as
//! [`ByHand`], with its position.
//!
//! ```
//! use rummage_core::mend::plan::{Action, Mend, Plan};
//! use rummage_core::mend::rewrite::{Ground, Kind, rewrite};
//!
//! let plan = Plan {
//!     mends: vec![Mend {
//!         target: "https://a.test/walks/towppath".to_owned(),
//!         action: Action::Replace,
//!         to: Some("https://a.test/walks/towpath".to_owned()),
//!         confidence: None,
//!     }],
//!     ..Plan::default()
//! };
//! let ground = Ground::at(&plan, "https://a.test/walks/").unwrap();
//! let done = rewrite(Kind::Html, "<p><a href='towppath' >Towpath</a>", &ground);
//! assert_eq!(done.text, "<p><a href='towpath' >Towpath</a>");
//! ```

mod css;
mod exact;
mod html;
mod markdown;
mod positions;
mod reference;
pub mod source;
mod tag;

use std::ops::Range;

use encoding_rs::{Encoding, UTF_8};
use url::Url;

use super::plan::{Action, Plan, Step};
use crate::url::reference::{Reference, resolve_in};

/// How a source is parsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// HTML: attributes with URLs.
    Html,
    /// XHTML: the same, by the rules of XML where they differ.
    Xhtml,
    /// CSS: `url()` and `@import`.
    Css,
    /// Markdown (CommonMark): links, images, definitions, autolinks, and HTML in it.
    Markdown,
    /// Anything else: URLs as they are written, between characters that cannot be part of one.
    Exact,
}

impl Kind {
    /// The kind of a file by its extension, in any letter case; `None` if it is not known.
    #[must_use]
    pub fn of_name(name: &str) -> Option<Kind> {
        let (_, ending) = name.rsplit_once('.')?;
        match ending.to_ascii_lowercase().as_str() {
            "html" | "htm" => Some(Kind::Html),
            "xhtml" => Some(Kind::Xhtml),
            "css" => Some(Kind::Css),
            "md" | "markdown" => Some(Kind::Markdown),
            _ => None,
        }
    }
}

/// What a source is rewritten with.
#[derive(Debug, Clone)]
pub struct Ground<'a> {
    plan: &'a Plan,
    /// The URLs at which the source may be, most likely first.
    bases: Vec<Url>,
    encoding: &'static Encoding,
}

impl<'a> Ground<'a> {
    /// A source at this URL; `None` if it is not a valid one.
    #[must_use]
    pub fn at(plan: &'a Plan, url: &str) -> Option<Ground<'a>> {
        Some(Ground::at_any(plan, vec![Url::parse(url).ok()?]))
    }

    /// A source that may be at any of these URLs.
    #[must_use]
    pub fn at_any(plan: &'a Plan, bases: Vec<Url>) -> Ground<'a> {
        Ground { plan, bases, encoding: UTF_8 }
    }

    /// The same for a source in this encoding, which applies to its queries.
    #[must_use]
    pub fn in_encoding(self, encoding: &'static Encoding) -> Ground<'a> {
        Ground { encoding: encoding.output_encoding(), ..self }
    }

    /// The same with the base that a page names.
    fn with_base(&self, base: Option<&str>) -> Ground<'a> {
        let Some(base) = base else { return self.clone() };
        let bases = self.bases.iter().filter_map(|own| own.join(base).ok());
        Ground { bases: bases.collect(), ..self.clone() }
    }

    /// What the plan does with a reference; `None` if nothing changes in the source.
    fn look_up(&self, written: &str) -> Option<Hit<'_>> {
        self.bases.iter().find_map(|base| {
            let target = match resolve_in(base, written, self.encoding) {
                Reference::Web { url, fragment: Some(fragment) } => format!("{url}#{fragment}"),
                Reference::Web { url, fragment: None } => url.into(),
                Reference::Other { url } => url,
                Reference::Malformed { written } => written,
            };
            let step = self.plan.step(&target)?;
            let edits = matches!(step.action, Action::Replace | Action::Unwrap | Action::Drop);
            let changes = step.to.as_ref() != Some(&target);
            (edits && changes).then_some(Hit { target, step, base })
        })
    }
}

/// A reference that the plan concerns.
struct Hit<'a> {
    target: String,
    step: Step,
    base: &'a Url,
}

impl Hit<'_> {
    /// The new reference, in the style of the old one. `None` if it gets none.
    fn new_reference(&self, written: &str) -> Option<String> {
        let to = self.step.to.as_ref().filter(|_| self.step.action == Action::Replace)?;
        Some(reference::in_style_of(written, self.base, to))
    }
}

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

/// Applies a plan to a text.
#[must_use]
pub fn rewrite(kind: Kind, text: &str, ground: &Ground<'_>) -> Rewritten {
    let found = match kind {
        Kind::Html => html::edits(text, ground, false),
        Kind::Xhtml => html::edits(text, ground, true),
        Kind::Css => css::edits(text, ground),
        Kind::Markdown => markdown::edits(text, ground),
        Kind::Exact => exact::edits(text, ground),
    };
    found.apply(text)
}

/// What was found in a text.
#[derive(Debug, Default)]
struct Found {
    edits: Vec<Edit>,
    changes: Vec<Change>,
    by_hand: Vec<ByHand>,
}

impl Found {
    /// Adds what was found in a part of the text that begins at this offset and line.
    fn add_part(&mut self, part: Found, offset: usize, line: u32) {
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
    fn apply(mut self, text: &str) -> Rewritten {
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

#[cfg(test)]
mod tests;
