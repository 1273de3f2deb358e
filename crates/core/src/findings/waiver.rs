//! Waivers: decisions to leave findings alone, and how long they hold.
//!
//! A waiver covers links that match all of its kinds of patterns, with one value of each kind. A
//! `works` waiver covers only targets that a person checked, while they respond as they did then:
//! when the response changes, the finding is open again.

use crate::findings::selection::host_of;
use crate::url::pattern::{Pattern, Patterns};
use crate::verdict::Cause;

/// The kind of a waiver.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WaiverKind {
    /// A person checked: it works in a browser, whatever a robot gets.
    Works,
    /// A known problem, left as it is for some time.
    Leave,
}

impl WaiverKind {
    /// Both kinds.
    pub const ALL: [WaiverKind; 2] = [WaiverKind::Works, WaiverKind::Leave];

    /// Its name in every file and output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            WaiverKind::Works => "works",
            WaiverKind::Leave => "leave",
        }
    }

    /// The kind with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<WaiverKind> {
        WaiverKind::ALL.into_iter().find(|kind| kind.as_str() == name)
    }
}

/// How a target responded when a person checked it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObservedTarget {
    /// The target, with its fragment.
    pub target: String,
    /// The last status; `None` if no server responded.
    pub status: Option<u16>,
    /// The final URL.
    pub last: String,
}

/// One waiver.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiver {
    /// Its kind.
    pub kind: WaiverKind,
    /// Patterns for the target; empty for all.
    pub targets: Patterns,
    /// Patterns for targets that are not covered.
    pub excepts: Vec<Pattern>,
    /// Patterns for the host of the target; empty for all.
    pub hosts: Vec<Pattern>,
    /// Patterns for the page with the link; empty for all.
    pub pages: Vec<Pattern>,
    /// The causes; empty for all.
    pub causes: Vec<Cause>,
    /// For a `works` waiver: the responses at that time.
    pub observed: Vec<ObservedTarget>,
    /// Its date has passed.
    pub ended: bool,
}

/// What a waiver needs to know of a finding.
#[derive(Debug, Clone, Copy)]
pub struct Facts<'a> {
    /// The page with the link.
    pub page: &'a str,
    /// The target, with its fragment.
    pub target: &'a str,
    /// The cause.
    pub cause: Option<Cause>,
    /// The last status.
    pub status: Option<u16>,
    /// The final URL.
    pub last: &'a str,
}

/// The effect of a waiver on a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WaiverEffect {
    /// It does not apply.
    None,
    /// It waives the finding.
    Waives,
    /// It did, until its end date.
    Ended,
    /// It did, until the target responded differently.
    Reopened,
}

impl Waiver {
    /// The effect on a finding.
    #[must_use]
    pub fn cover(&self, facts: &Facts<'_>) -> WaiverEffect {
        if !self.fits(facts) {
            return WaiverEffect::None;
        }
        let observed = self.observed.iter().find(|observed| observed.target == facts.target);
        match (self.kind, observed) {
            (WaiverKind::Works, None) => WaiverEffect::None,
            _ if self.ended => WaiverEffect::Ended,
            (WaiverKind::Leave, _) => WaiverEffect::Waives,
            (WaiverKind::Works, Some(observed)) => {
                let same = observed.status == facts.status && observed.last == facts.last;
                if same { WaiverEffect::Waives } else { WaiverEffect::Reopened }
            }
        }
    }

    /// Whether a finding matches the patterns.
    #[must_use]
    pub fn fits(&self, facts: &Facts<'_>) -> bool {
        let any = |patterns: &[Pattern], text: &str| {
            patterns.is_empty() || patterns.iter().any(|pattern| pattern.matches(text))
        };
        (self.targets.is_empty() || self.targets.match_any(facts.target))
            && !self.excepts.iter().any(|except| except.matches(facts.target))
            && any(&self.hosts, host_of(facts.target))
            && any(&self.pages, facts.page)
            && (self.causes.is_empty()
                || facts.cause.is_some_and(|cause| self.causes.contains(&cause)))
    }
}

/// All waivers, in the order of their file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Waivers(pub Vec<Waiver>);

impl Waivers {
    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether any waiver covers a finding.
    #[must_use]
    pub fn hold(&self, facts: &Facts<'_>) -> bool {
        self.0.iter().any(|waiver| waiver.cover(facts) == WaiverEffect::Waives)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_have_the_names_of_their_options() {
        assert_eq!(WaiverKind::ALL.map(WaiverKind::as_str), ["works", "leave"]);
        assert!(WaiverKind::ALL.iter().all(|kind| WaiverKind::named(kind.as_str()) == Some(*kind)));
        assert_eq!(WaiverKind::named("other"), None);
    }

    fn waiver(kind: WaiverKind) -> Waiver {
        let observed = ObservedTarget {
            target: "https://b.test/x".to_owned(),
            status: Some(403),
            last: "https://b.test/y".to_owned(),
        };
        Waiver {
            kind,
            targets: Patterns::from_iter([Pattern::new("/x*")]),
            excepts: Vec::new(),
            hosts: vec![Pattern::new("*b.test")],
            pages: vec![Pattern::new("/news/*"), Pattern::new("/")],
            causes: vec![Cause::AccessRefused, Cause::Timeout],
            observed: vec![observed],
            ended: false,
        }
    }

    const FACTS: Facts<'static> = Facts {
        page: "https://a.test/news/1",
        target: "https://b.test/x",
        cause: Some(Cause::AccessRefused),
        status: Some(403),
        last: "https://b.test/y",
    };

    #[test]
    fn all_kinds_of_patterns_must_match_with_one_value_each() {
        let leave = waiver(WaiverKind::Leave);
        assert_eq!(leave.cover(&FACTS), WaiverEffect::Waives);
        let others = [
            Facts { page: "https://a.test/about", ..FACTS },
            Facts { target: "https://b.test/z", ..FACTS },
            Facts { target: "https://c.test/x", ..FACTS },
            Facts { cause: Some(Cause::NotFound), ..FACTS },
            Facts { cause: None, ..FACTS },
        ];
        for facts in others {
            assert_eq!(leave.cover(&facts), WaiverEffect::None, "{facts:?}");
        }
        let home = Facts { page: "https://a.test/", cause: Some(Cause::Timeout), ..FACTS };
        assert_eq!(leave.cover(&home), WaiverEffect::Waives);
    }

    #[test]
    fn a_waiver_for_what_works_ends_when_the_response_changes() {
        let works = waiver(WaiverKind::Works);
        assert_eq!(works.cover(&FACTS), WaiverEffect::Waives);
        for facts in [
            Facts { status: Some(404), ..FACTS },
            Facts { status: None, ..FACTS },
            Facts { last: "https://b.test/login", ..FACTS },
        ] {
            assert_eq!(works.cover(&facts), WaiverEffect::Reopened, "{facts:?}");
            assert!(!Waivers(vec![works.clone()]).hold(&facts));
            assert_eq!(
                waiver(WaiverKind::Leave).cover(&facts),
                WaiverEffect::Waives,
                "left, whatever the response"
            );
        }
        let unseen = Facts { target: "https://b.test/xy", ..FACTS };
        assert_eq!(works.cover(&unseen), WaiverEffect::None, "no person checked it");
    }

    #[test]
    fn a_waiver_ends_at_its_date_and_others_may_still_hold() {
        let ended = Waiver { ended: true, ..waiver(WaiverKind::Leave) };
        assert_eq!(ended.cover(&FACTS), WaiverEffect::Ended);
        assert!(!Waivers(vec![ended.clone()]).hold(&FACTS));
        assert!(Waivers(vec![ended, waiver(WaiverKind::Leave)]).hold(&FACTS));
        assert!(!Waivers::default().hold(&FACTS));
    }
}
