//! What two runs of a site have to say to each other.
//!
//! A finding that one run has and the other has not is news only if the other could
//! have had it. A page that it did not read, an address that its settings kept it from
//! asking, a fault that an older tool did not know: these say nothing.

use crate::verdict::{Cause, Verdict};

/// What a run knows of the page that has a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PageCoverage {
    /// It read it.
    Read,
    /// It found it gone, or nothing that led there.
    Gone,
    /// It did not read it, for its bounds, a limit or robots.txt.
    NotParsed,
}

/// What a run knows of the target of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TargetCoverage {
    /// It has a verdict on it.
    Judged,
    /// It left it out.
    Skipped,
    /// No link that it saw names it.
    Unknown,
}

/// What a run knows of a finding that another run has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Coverage {
    /// Of the page.
    pub page: PageCoverage,
    /// Of the target.
    pub target: TargetCoverage,
    /// The run came to its end, and had the same bounds as the other.
    pub whole: bool,
    /// The run saw the same status of the target as the other, with another version of
    /// the tool: if it says something else, the tool has learned.
    pub learned: bool,
}

/// Whether a run would have had a finding of another run, if it had been there.
#[must_use]
pub fn would_have_found(coverage: Coverage) -> bool {
    match (coverage.page, coverage.target) {
        (PageCoverage::Read, TargetCoverage::Judged) => !coverage.learned,
        // The page had no such link, unless the run broke off before it judged it.
        (PageCoverage::Read | PageCoverage::Gone, TargetCoverage::Unknown)
        | (PageCoverage::Gone, TargetCoverage::Judged) => coverage.whole,
        (_, TargetCoverage::Skipped) | (PageCoverage::NotParsed, _) => false,
    }
}

/// Whether a finding is one of those that are wrong, and not only moved: a link that
/// has moved and then breaks is news.
#[must_use]
pub fn is_wrong(verdict: Verdict) -> bool {
    matches!(verdict, Verdict::Broken | Verdict::Doubtful)
}

/// Whether a cause says more of the moment than of the link: it makes nothing new, and
/// heals nothing.
#[must_use]
pub fn is_passing(cause: Option<Cause>) -> bool {
    cause.is_some_and(Cause::is_momentary)
}

/// Whether a verdict makes a finding.
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
    fn what_was_looked_at_and_found_well_is_news_when_it_breaks() {
        assert!(would_have_found(coverage(PageCoverage::Read, TargetCoverage::Judged)));
        let stopped =
            Coverage { whole: false, ..coverage(PageCoverage::Read, TargetCoverage::Judged) };
        assert!(would_have_found(stopped));
    }

    #[test]
    fn a_new_link_or_page_is_news_only_to_a_run_that_saw_all() {
        for page in [PageCoverage::Read, PageCoverage::Gone] {
            let whole = coverage(page, TargetCoverage::Unknown);
            assert!(would_have_found(whole));
            assert!(!would_have_found(Coverage { whole: false, ..whole }));
        }
        let gone = coverage(PageCoverage::Gone, TargetCoverage::Judged);
        assert!(would_have_found(gone), "a new page with a link to what was known");
        assert!(!would_have_found(Coverage { whole: false, ..gone }));
    }

    #[test]
    fn what_was_not_looked_at_says_nothing() {
        for target in [TargetCoverage::Judged, TargetCoverage::Skipped, TargetCoverage::Unknown] {
            assert!(!would_have_found(coverage(PageCoverage::NotParsed, target)));
        }
        assert!(!would_have_found(coverage(PageCoverage::Read, TargetCoverage::Skipped)));
        let learned =
            Coverage { learned: true, ..coverage(PageCoverage::Read, TargetCoverage::Judged) };
        assert!(!would_have_found(learned));
    }

    #[test]
    fn a_server_that_is_away_changes_nothing() {
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
