//! Whether one run could have seen the findings of another.
//!
//! A finding that one run has and another has not is news only if the other run could have had
//! it. A page that it did not parse, a URL that its settings excluded, a problem that its version
//! did not detect: from these, nothing follows.

use crate::verdict::{Cause, Verdict};

/// What a run knows of the page with a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PageCoverage {
    /// It parsed the page.
    Read,
    /// The page is gone, or no link leads there.
    Gone,
    /// It did not parse the page, because of its bounds, a limit or robots.txt.
    NotParsed,
}

/// What a run knows of the target of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TargetCoverage {
    /// It has a verdict.
    Judged,
    /// It skipped the target.
    Skipped,
    /// It saw no link to the target.
    Unknown,
}

/// What a run knows of a finding of another run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Coverage {
    /// Of the page.
    pub page: PageCoverage,
    /// Of the target.
    pub target: TargetCoverage,
    /// The run came to its end, and had the same bounds as the other.
    pub whole: bool,
    /// The run got the same status for the target as the other, with another version of Rummage:
    /// if the verdict differs, the rules have changed.
    pub learned: bool,
}

/// Whether a run would have had a finding of another run, if it had been there.
#[must_use]
pub fn would_have_found(coverage: Coverage) -> bool {
    match (coverage.page, coverage.target) {
        (PageCoverage::Read, TargetCoverage::Judged) => !coverage.learned,
        // The page had no such link, unless the run stopped before the target was judged.
        (PageCoverage::Read | PageCoverage::Gone, TargetCoverage::Unknown)
        | (PageCoverage::Gone, TargetCoverage::Judged) => coverage.whole,
        (_, TargetCoverage::Skipped) | (PageCoverage::NotParsed, _) => false,
    }
}

/// Whether a verdict is broken or doubtful, not only moved: a link that has moved and then breaks
/// is news.
#[must_use]
pub fn is_wrong(verdict: Verdict) -> bool {
    matches!(verdict, Verdict::Broken | Verdict::Doubtful)
}

/// Whether a cause says more about the moment than about the link: it makes nothing new, and
/// fixes nothing.
#[must_use]
pub fn is_passing(cause: Option<Cause>) -> bool {
    cause.is_some_and(Cause::is_momentary)
}

/// Whether a verdict makes a link a finding.
#[must_use]
pub fn is_finding(verdict: Verdict) -> bool {
    is_wrong(verdict) || verdict == Verdict::Moved
}

#[cfg(test)]
mod tests {
    use super::*;

    fn coverage(page: PageCoverage, target: TargetCoverage) -> Coverage {
        Coverage { page, target, whole: true, learned: false }
    }

    #[test]
    fn a_link_that_was_sound_is_news_when_it_breaks() {
        assert!(would_have_found(coverage(PageCoverage::Read, TargetCoverage::Judged)));
        let stopped =
            Coverage { whole: false, ..coverage(PageCoverage::Read, TargetCoverage::Judged) };
        assert!(would_have_found(stopped));
    }

    #[test]
    fn a_new_link_or_page_is_news_only_if_the_other_run_was_complete() {
        for page in [PageCoverage::Read, PageCoverage::Gone] {
            let whole = coverage(page, TargetCoverage::Unknown);
            assert!(would_have_found(whole));
            assert!(!would_have_found(Coverage { whole: false, ..whole }));
        }
        let gone = coverage(PageCoverage::Gone, TargetCoverage::Judged);
        assert!(would_have_found(gone), "a new page with a link to a known target");
        assert!(!would_have_found(Coverage { whole: false, ..gone }));
    }

    #[test]
    fn nothing_follows_from_what_was_not_checked() {
        for target in [TargetCoverage::Judged, TargetCoverage::Skipped, TargetCoverage::Unknown] {
            assert!(!would_have_found(coverage(PageCoverage::NotParsed, target)));
        }
        assert!(!would_have_found(coverage(PageCoverage::Read, TargetCoverage::Skipped)));
        let learned =
            Coverage { learned: true, ..coverage(PageCoverage::Read, TargetCoverage::Judged) };
        assert!(!would_have_found(learned));
    }

    #[test]
    fn an_unavailable_server_changes_nothing() {
        assert!(is_passing(Some(Cause::Offline)) && is_passing(Some(Cause::Busy)));
        assert!(!is_passing(Some(Cause::NotFound)) && !is_passing(None));
    }

    #[test]
    fn what_has_moved_is_a_finding_and_is_not_wrong() {
        assert!(is_finding(Verdict::Moved) && !is_wrong(Verdict::Moved));
        assert!(is_finding(Verdict::Doubtful) && is_wrong(Verdict::Doubtful));
        assert!(!is_finding(Verdict::Sound) && !is_finding(Verdict::Skipped));
    }
}
