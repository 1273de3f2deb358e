//! Findings that people have set aside, and for how long that holds.
//!
//! A waiver covers what fits all of its kinds of patterns, and of each kind one of them.
//! One that says "this works" covers only what somebody looked at, and only for as long
//! as it answers as it did then: what changes is found again by itself.

use crate::findings::selection::host_of;
use crate::url::pattern::Pattern;
use crate::verdict::Cause;

/// Why findings are set aside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WaiverKind {
    /// Somebody looked: it works for people, whatever a robot is told.
    Works,
    /// It is known, and left as it is for some time.
    Leave,
}

impl WaiverKind {
    /// Both.
    pub const ALL: [WaiverKind; 2] = [WaiverKind::Works, WaiverKind::Leave];

    /// The word for it in every file and output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            WaiverKind::Works => "works",
            WaiverKind::Leave => "leave",
        }
    }

    /// The one of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<WaiverKind> {
        WaiverKind::ALL.into_iter().find(|aside| aside.as_str() == name)
    }
}

/// How a target answered when somebody looked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObservedTarget {
    /// The target, with its fragment.
    pub target: String,
    /// The last status on the way; `None` where no server answered.
    pub status: Option<u16>,
    /// Where the hops ended.
    pub last: String,
}

/// One decision.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiver {
    /// Why.
    pub aside: WaiverKind,
    /// Patterns for the target; empty: all.
    pub targets: Vec<Pattern>,
    /// Patterns for the host of the target; empty: all.
    pub hosts: Vec<Pattern>,
    /// Patterns for the page that has the link; empty: all.
    pub pages: Vec<Pattern>,
    /// The causes; empty: all.
    pub causes: Vec<Cause>,
    /// For what works: what was seen then.
    pub looked: Vec<ObservedTarget>,
    /// Its date has passed.
    pub ended: bool,
}

/// A finding, as far as a waiver asks for it.
#[derive(Debug, Clone, Copy)]
pub struct Facts<'a> {
    /// The page that has the link.
    pub page: &'a str,
    /// The target, with its fragment.
    pub target: &'a str,
    /// Why it is a finding.
    pub cause: Option<Cause>,
    /// The last status on the way.
    pub status: Option<u16>,
    /// Where the hops ended.
    pub last: &'a str,
}

/// What a waiver has to do with a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WaiverEffect {
    /// Nothing.
    None,
    /// It sets it aside.
    Waives,
    /// It did, until its date.
    Ended,
    /// It did, until the target answered otherwise.
    Reopened,
}

impl Waiver {
    /// What the waiver has to do with a finding.
    #[must_use]
    pub fn cover(&self, facts: &Facts<'_>) -> WaiverEffect {
        if !self.fits(facts) {
            return WaiverEffect::None;
        }
        let looked = self.looked.iter().find(|looked| looked.target == facts.target);
        match (self.aside, looked) {
            (WaiverKind::Works, None) => WaiverEffect::None,
            _ if self.ended => WaiverEffect::Ended,
            (WaiverKind::Leave, _) => WaiverEffect::Waives,
            (WaiverKind::Works, Some(looked)) => {
                let same = looked.status == facts.status && looked.last == facts.last;
                if same { WaiverEffect::Waives } else { WaiverEffect::Reopened }
            }
        }
    }

    /// Whether a finding fits the patterns.
    #[must_use]
    pub fn fits(&self, facts: &Facts<'_>) -> bool {
        let any = |patterns: &[Pattern], text: &str| {
            patterns.is_empty() || patterns.iter().any(|pattern| pattern.matches(text))
        };
        any(&self.targets, facts.target)
            && any(&self.hosts, host_of(facts.target))
            && any(&self.pages, facts.page)
            && (self.causes.is_empty()
                || facts.cause.is_some_and(|cause| self.causes.contains(&cause)))
    }
}

/// All waivers that there are, in the order of their file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Waivers(pub Vec<Waiver>);

impl Waivers {
    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether some waiver sets a finding aside.
    #[must_use]
    pub fn hold(&self, facts: &Facts<'_>) -> bool {
        self.0.iter().any(|waiver| waiver.cover(facts) == WaiverEffect::Waives)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn waiver(aside: WaiverKind) -> Waiver {
        let looked = ObservedTarget {
            target: "https://b.test/x".to_owned(),
            status: Some(403),
            last: "https://b.test/y".to_owned(),
        };
        Waiver {
            aside,
            targets: vec![Pattern::new("/x*")],
            hosts: vec![Pattern::new("*b.test")],
            pages: vec![Pattern::new("/news/*"), Pattern::new("/")],
            causes: vec![Cause::AccessRefused, Cause::Timeout],
            looked: vec![looked],
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
    fn all_kinds_of_patterns_must_fit_and_of_a_kind_one() {
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
    fn what_works_is_found_again_when_it_answers_otherwise() {
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
                "left, whatever it says"
            );
        }
        let unseen = Facts { target: "https://b.test/xy", ..FACTS };
        assert_eq!(works.cover(&unseen), WaiverEffect::None, "nobody looked at it");
    }

    #[test]
    fn a_waiver_ends_at_its_date_and_another_may_still_hold() {
        let ended = Waiver { ended: true, ..waiver(WaiverKind::Leave) };
        assert_eq!(ended.cover(&FACTS), WaiverEffect::Ended);
        assert!(!Waivers(vec![ended.clone()]).hold(&FACTS));
        assert!(Waivers(vec![ended, waiver(WaiverKind::Leave)]).hold(&FACTS));
        assert!(!Waivers::default().hold(&FACTS));
    }
}
