//! From what was seen to what is said: decision tables, of which the first row that
//! fits counts, each row with an example that is its test.
//!
//! The rule behind the rows: say broken only what a visitor would find broken,
//! and show why; when a robot cannot know, say doubtful; what was not looked at,
//! count. [`judge`] judges addresses that were url_evidence, [`of_link`] what a link may
//! have beside its address.

#[macro_use]
mod table;
mod cause;
mod link;
mod url_evidence;

use std::fmt;

use serde::{Deserialize, Serialize};

pub use cause::Cause;
pub use link::{LinkContext, of_link};
pub use url_evidence::{ChainFault, JudgeContext, Route, UrlEvidence, judge};

/// What the evidence says of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// A visitor gets what the link promises.
    Sound,
    /// Not url_evidence, and the cause says why.
    Skipped,
    /// It works, and has a new address for good.
    Moved,
    /// A robot cannot know; a person should look.
    Doubtful,
    /// A visitor would find it broken.
    Broken,
}

impl Verdict {
    /// All of them, the worst first.
    pub const ALL: [Verdict; 5] =
        [Verdict::Broken, Verdict::Doubtful, Verdict::Moved, Verdict::Sound, Verdict::Skipped];

    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Verdict::Broken => "broken",
            Verdict::Doubtful => "doubtful",
            Verdict::Moved => "moved",
            Verdict::Sound => "sound",
            Verdict::Skipped => "skipped",
        }
    }

    /// The verdict of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Verdict> {
        Verdict::ALL.into_iter().find(|verdict| verdict.as_str() == name)
    }
}

impl fmt::Display for Verdict {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// A verdict with its cause. A plain sound answer has none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judgement {
    /// What is said.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
}

impl Judgement {
    const fn of(verdict: Verdict, cause: Cause) -> Judgement {
        Judgement { verdict, cause: Some(cause) }
    }

    /// Broken, for this cause.
    #[must_use]
    pub const fn broken(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Broken, cause)
    }

    /// Doubtful, for this cause.
    #[must_use]
    pub const fn doubtful(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Doubtful, cause)
    }

    /// Skipped, for this cause.
    #[must_use]
    pub const fn skipped(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Skipped, cause)
    }
}
