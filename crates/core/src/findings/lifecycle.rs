//! What becomes of a finding from run to run.
//!
//! A finding is new in the run that shows it first, heals when a run that would have
//! shown it does not, and returns when it is back. What says more of the moment than of
//! the link changes none of this, and neither does a run that did not look.

use crate::findings::selection::Standing;

/// Where a finding is before a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FindingState {
    /// No run has had it.
    Never,
    /// It is found.
    Open,
    /// It was found, and is not any more.
    Healed,
}

/// What a run has to say of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Observation {
    /// It is there, for a cause that says something of the link.
    Present,
    /// It is there, for a cause that says more of the moment: a server that is busy or
    /// refuses everything, a line that is down.
    Temporary,
    /// It is not there, and the run would have had it.
    Gone,
    /// It is not there, and the run could not have had it.
    NotCovered,
}

/// What the run before had to say of a finding that it did not have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PreviousRun {
    /// There was no run before.
    NoRun,
    /// It would have had it, if it had been there.
    CouldSee,
    /// Its settings or its version kept it from seeing it.
    CouldNotSee,
}

/// Where a finding is after a run, and what it is called in that run if that is news:
/// `open` is what was there before, and only now could be seen.
///
/// `before` is asked only where it matters: it may take some work to know.
pub fn step<E>(
    past: FindingState,
    seen: Observation,
    before: impl FnOnce() -> Result<PreviousRun, E>,
) -> Result<(FindingState, Option<Standing>), E> {
    Ok(match (past, seen) {
        (FindingState::Never, Observation::Present) => {
            let standing = match before()? {
                PreviousRun::NoRun | PreviousRun::CouldSee => Standing::New,
                PreviousRun::CouldNotSee => Standing::Open,
            };
            (FindingState::Open, Some(standing))
        }
        (FindingState::Healed, Observation::Present) => {
            (FindingState::Open, Some(Standing::Returned))
        }
        (FindingState::Open, Observation::Gone) => (FindingState::Healed, Some(Standing::Healed)),
        (past, _) => (past, None),
    })
}

#[cfg(test)]
mod tests {
    use std::convert::Infallible;

    use super::*;
    use proptest::prelude::*;

    fn after(
        past: FindingState,
        seen: Observation,
        before: PreviousRun,
    ) -> (FindingState, Option<Standing>) {
        let Ok(after) = step(past, seen, || Ok::<_, Infallible>(before));
        after
    }

    #[test]
    fn a_finding_is_new_then_open_heals_and_returns() {
        let mut past = FindingState::Never;
        let runs = [
            (Observation::Present, PreviousRun::NoRun, Some(Standing::New)),
            (Observation::Present, PreviousRun::CouldSee, None),
            (Observation::Gone, PreviousRun::CouldSee, Some(Standing::Healed)),
            (Observation::Gone, PreviousRun::CouldSee, None),
            (Observation::Present, PreviousRun::CouldSee, Some(Standing::Returned)),
        ];
        for (seen, before, news) in runs {
            let (next, notified) = after(past, seen, before);
            assert_eq!(notified, news, "{past:?} {seen:?}");
            past = next;
        }
    }

    #[test]
    fn what_the_run_before_could_not_have_seen_is_open_and_no_news() {
        let (past, notified) =
            after(FindingState::Never, Observation::Present, PreviousRun::CouldNotSee);
        assert_eq!((past, notified), (FindingState::Open, Some(Standing::Open)));
    }

    fn seen() -> impl Strategy<Value = Observation> {
        prop_oneof![
            Just(Observation::Present),
            Just(Observation::Temporary),
            Just(Observation::Gone),
            Just(Observation::NotCovered)
        ]
    }

    fn before() -> impl Strategy<Value = PreviousRun> {
        prop_oneof![
            Just(PreviousRun::NoRun),
            Just(PreviousRun::CouldSee),
            Just(PreviousRun::CouldNotSee)
        ]
    }

    proptest! {
        /// Over any history: what appears and what heals take turns; only the first
        /// appearance is new or open, every later one returned; what passes and what
        /// cannot be seen change nothing.
        #[test]
        fn news_make_sense_over_any_history(
            runs in prop::collection::vec((seen(), before()), 0..40)
        ) {
            let (mut past, mut notified) = (FindingState::Never, Vec::new());
            for (seen, before) in runs {
                let (next, news) = after(past, seen, before);
                if matches!(seen, Observation::Temporary | Observation::NotCovered) {
                    prop_assert_eq!((next, news), (past, None));
                }
                prop_assert_eq!(news.is_some(), next != past, "{:?} {:?}", past, seen);
                notified.extend(news);
                past = next;
            }
            for (at, news) in notified.iter().enumerate() {
                let fits = match (at, at % 2) {
                    (0, _) => matches!(news, Standing::New | Standing::Open),
                    (_, 1) => *news == Standing::Healed,
                    _ => *news == Standing::Returned,
                };
                prop_assert!(fits, "{:?}", notified);
            }
            prop_assert_eq!(past == FindingState::Open, notified.len() % 2 == 1);
        }
    }
}
