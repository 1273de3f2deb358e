//! The states of a finding from run to run.
//!
//! A finding is new in the run that shows it first, fixed when a run that would have shown it
//! does not, and returned when it is back. Temporary causes change none of this, and neither does
//! a run that did not check.

use crate::findings::selection::Standing;

/// The state of a finding before a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FindingState {
    /// No run has had it.
    Never,
    /// The last run that could have it has it.
    Open,
    /// It was found, and then it was not.
    Healed,
}

/// What a run observes of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Observation {
    /// It is present, with a cause that says something about the link.
    Present,
    /// It is present, with a cause that says more about the moment: a server that is busy or
    /// refuses everything, a network that is down.
    Temporary,
    /// It is absent, and the run would have had it.
    Gone,
    /// It is absent, and the run could not have had it.
    NotCovered,
}

/// What the previous run could see of a finding that it did not have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PreviousRun {
    /// There was no previous run.
    NoRun,
    /// It would have had it, if it had been there.
    CouldSee,
    /// Its settings or its version kept it from seeing it.
    CouldNotSee,
}

/// The state of a finding after a run, and its standing in that run if it is news. A finding that
/// was there before and could not be seen is `open`.
///
/// `before` is called only if it matters, because it may be expensive.
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
    fn a_finding_the_previous_run_could_not_see_is_open() {
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
        /// Over any history, appearing and being fixed alternate; only the first appearance is
        /// new or open, every later one is returned; temporary causes and runs that could not see
        /// it change nothing.
        #[test]
        fn news_alternate_over_any_history(
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
