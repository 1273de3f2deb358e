//! The one set of filters that every listing takes.

use crate::verdict::Verdict;

/// Which links a listing shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Selection {
    /// The verdicts that are shown. Never empty.
    pub verdicts: Vec<Verdict>,
}

impl Default for Selection {
    /// The findings: what somebody may have to mend.
    fn default() -> Selection {
        Selection { verdicts: vec![Verdict::Broken, Verdict::Doubtful, Verdict::Moved] }
    }
}

impl Selection {
    /// Every link, the sound ones and those not checked too.
    #[must_use]
    pub fn all() -> Selection {
        Selection { verdicts: Verdict::ALL.to_vec() }
    }

    /// Whether a link with this verdict is shown.
    #[must_use]
    pub fn takes(&self, verdict: Verdict) -> bool {
        self.verdicts.contains(&verdict)
    }
}
