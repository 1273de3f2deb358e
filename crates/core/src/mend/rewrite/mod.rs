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
//! let mend = Mend {
//!     target: "https://a.test/paths/towppath".to_owned(),
//!     action: Action::Replace,
//!     to: Some("https://a.test/paths/towpath".to_owned()),
//!     confidence: None,
//! };
//! let plan = Plan::new(Vec::new(), vec![mend]);
//! let ground = Ground::at(&plan, "https://a.test/paths/").unwrap();
//! let done = rewrite(Kind::Html, "<p><a href='towppath' >Towpath</a>", &ground);
//! assert_eq!(done.text, "<p><a href='towpath' >Towpath</a>");
//! ```

mod css;
mod edit;
mod exact;
mod ground;
mod html;
mod kind;
mod markdown;
mod positions;
mod reference;
pub mod source;
mod tag;

pub use edit::{ByHand, Change, Edit, Rewritten};
pub use ground::Ground;
pub use kind::Kind;

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

#[cfg(test)]
mod tests;
