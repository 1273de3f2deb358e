//! What becomes of a finding from run to run.
//!
//! A finding is new in the run that shows it first, heals when a run that would have
//! shown it does not, and returns when it is back. What says more of the moment than of
//! the link changes none of this, and neither does a run that did not look.

use crate::findings::selection::Standing;

/// Where a finding is before a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Past {
    /// No run has had it.
    Never,
    /// It is found.
    Found,
    /// It was found, and is not any more.
    Healed,
}

/// What a run has to say of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// It is there, for a cause that says something of the link.
    There,
    /// It is there, for a cause that says more of the moment: a server that is busy or
    /// refuses everything, a line that is down.
    Passing,
    /// It is not there, and the run would have had it.
    Gone,
    /// It is not there, and the run could not have had it.
    Hidden,
}

/// What the run before had to say of a finding that it did not have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Before {
    /// There was no run before.
    NoRun,
    /// It would have had it, if it had been there.
    Looked,
    /// Its settings or its version kept it from seeing it.
    Blind,
}

/// Where a finding is after a run, and what it is called in that run if that is news:
/// `open` is what was there before, and only now could be seen.
///
/// `before` is asked only where it matters: it may take some work to know.
pub fn step<E>(
    past: Past,
    seen: Seen,
    before: impl FnOnce() -> Result<Before, E>,
) -> Result<(Past, Option<Standing>), E> {
    Ok(match (past, seen) {
        (Past::Never, Seen::There) => {
            let standing = match before()? {
                Before::NoRun | Before::Looked => Standing::New,
                Before::Blind => Standing::Open,
            };
            (Past::Found, Some(standing))
        }
        (Past::Healed, Seen::There) => (Past::Found, Some(Standing::Returned)),
        (Past::Found, Seen::Gone) => (Past::Healed, Some(Standing::Healed)),
        (past, _) => (past, None),
    })
}

#[cfg(test)]
mod tests {
    use std::convert::Infallible;

    use super::*;
    use proptest::prelude::*;

    fn after(past: Past, seen: Seen, before: Before) -> (Past, Option<Standing>) {
        let Ok(after) = step(past, seen, || Ok::<_, Infallible>(before));
        after
    }

    #[test]
    fn a_finding_is_new_then_open_heals_and_returns() {
        let mut past = Past::Never;
        let runs = [
            (Seen::There, Before::NoRun, Some(Standing::New)),
            (Seen::There, Before::Looked, None),
            (Seen::Gone, Before::Looked, Some(Standing::Healed)),
            (Seen::Gone, Before::Looked, None),
            (Seen::There, Before::Looked, Some(Standing::Returned)),
        ];
        for (seen, before, news) in runs {
            let (next, told) = after(past, seen, before);
            assert_eq!(told, news, "{past:?} {seen:?}");
            past = next;
        }
    }

    #[test]
    fn what_the_run_before_could_not_have_seen_is_open_and_no_news() {
        let (past, told) = after(Past::Never, Seen::There, Before::Blind);
        assert_eq!((past, told), (Past::Found, Some(Standing::Open)));
    }

    fn seen() -> impl Strategy<Value = Seen> {
        prop_oneof![Just(Seen::There), Just(Seen::Passing), Just(Seen::Gone), Just(Seen::Hidden)]
    }

    fn before() -> impl Strategy<Value = Before> {
        prop_oneof![Just(Before::NoRun), Just(Before::Looked), Just(Before::Blind)]
    }

    proptest! {
        /// Over any history: what appears and what heals take turns; only the first
        /// appearance is new or open, every later one returned; what passes and what
        /// cannot be seen change nothing.
        #[test]
        fn news_make_sense_over_any_history(
            runs in prop::collection::vec((seen(), before()), 0..40)
        ) {
            let (mut past, mut told) = (Past::Never, Vec::new());
            for (seen, before) in runs {
                let (next, news) = after(past, seen, before);
                if matches!(seen, Seen::Passing | Seen::Hidden) {
                    prop_assert_eq!((next, news), (past, None));
                }
                prop_assert_eq!(news.is_some(), next != past, "{:?} {:?}", past, seen);
                told.extend(news);
                past = next;
            }
            for (at, news) in told.iter().enumerate() {
                let fits = match (at, at % 2) {
                    (0, _) => matches!(news, Standing::New | Standing::Open),
                    (_, 1) => *news == Standing::Healed,
                    _ => *news == Standing::Returned,
                };
                prop_assert!(fits, "{:?}", told);
            }
            prop_assert_eq!(past == Past::Found, told.len() % 2 == 1);
        }
    }
}
