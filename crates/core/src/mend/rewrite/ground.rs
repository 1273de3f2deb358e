//! The plan and the URLs at which a source may be: what becomes of a reference.

use encoding_rs::{Encoding, UTF_8};
use url::Url;

use super::reference;
use crate::mend::plan::{Action, Plan, Step};
use crate::url::reference::{Reference, base_of, resolve_in};

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

    /// The same with the base that a page names, if it can be one.
    pub(super) fn with_base(&self, base: Option<&str>) -> Ground<'a> {
        let Some(base) = base else { return self.clone() };
        let bases = self.bases.iter().map(|own| base_of(own, base).unwrap_or_else(|| own.clone()));
        Ground { bases: bases.collect(), ..self.clone() }
    }

    /// What the plan does with a reference; `None` if nothing changes in the source.
    pub(super) fn look_up(&self, written: &str) -> Option<Hit<'_>> {
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
pub(super) struct Hit<'a> {
    pub(super) target: String,
    pub(super) step: Step,
    base: &'a Url,
}

impl Hit<'_> {
    /// The new reference, in the style of the old one. `None` if it gets none.
    pub(super) fn new_reference(&self, written: &str) -> Option<String> {
        let to = self.step.to.as_ref().filter(|_| self.step.action == Action::Replace)?;
        Some(reference::in_style_of(written, self.base, to))
    }
}
