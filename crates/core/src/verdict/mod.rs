//! From evidence to verdicts: decision tables in which the first row that matches counts, each
//! row with an example that is its test.
//!
//! The principle behind the rows: call broken only what a visitor would find broken, and show
//! why; if a robot cannot know, call it doubtful; count what was not checked. [`judge`] judges
//! URLs that were requested, [`of_link`] links apart from their URLs.

#[macro_use]
mod table;
mod advice;
mod cause;
mod link;
mod url_evidence;

use std::fmt;

use serde::{Deserialize, Serialize};

pub use cause::Cause;
pub use link::{LinkContext, is_leftover, is_public, of_link, of_placeholder};
pub use url_evidence::{ChainFault, JudgeContext, Route, UrlEvidence, judge};

/// The verdict on a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// A visitor gets what the link promises.
    Sound,
    /// It was not checked, and the cause says why.
    Skipped,
    /// It works, and has moved permanently.
    Moved,
    /// A robot cannot know; a person should look.
    Doubtful,
    /// A visitor would find it broken.
    Broken,
}

impl Verdict {
    /// All verdicts, worst first.
    pub const ALL: [Verdict; 5] =
        [Verdict::Broken, Verdict::Doubtful, Verdict::Moved, Verdict::Sound, Verdict::Skipped];

    /// Its name in every output.
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

    /// The verdict with this name.
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

/// A verdict with its cause. A plain sound response has none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judgement {
    /// The verdict.
    pub verdict: Verdict,
    /// The cause.
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
