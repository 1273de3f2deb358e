//! What people are told of a finding, and when.
//!
//! Each change is told once. What may pass is told only after a second check has said the
//! same some time after the first; what is set aside is not told at all, until that ends.

use crate::Seconds;
use crate::verdict::Cause;

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;

/// How long the checks must lie apart, unless the settings say otherwise.
pub const APART: Seconds = 30 * MINUTE;

/// Whether people know of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Told {
    /// Not yet.
    Waiting,
    /// They know.
    Told,
    /// It is set aside.
    Aside,
    /// It has healed, and they know, or never knew of it.
    Over,
}

impl Told {
    /// The word for it in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Told::Waiting => "waiting",
            Told::Told => "told",
            Told::Aside => "aside",
            Told::Over => "over",
        }
    }

    /// The opposite of [`as_str`](Told::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<Told> {
        [Told::Waiting, Told::Told, Told::Aside, Told::Over]
            .into_iter()
            .find(|told| told.as_str() == name)
    }
}

/// What a check has to say of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Look {
    /// It is there.
    There {
        /// Somebody has set it aside.
        waived: bool,
        /// Nobody needs to look once more.
        sure: bool,
        /// People were told of it before, and that it had healed.
        again: bool,
    },
    /// It has healed.
    Healed,
}

/// What people are told of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum News {
    /// It broke.
    Broke,
    /// It had healed, and came back.
    Returned,
    /// It was set aside, and is not any more.
    Reopened,
    /// It healed.
    Healed,
}

/// What people know of a finding after a check, and what they are told.
#[must_use]
pub fn step(told: Told, look: Look) -> (Told, Option<News>) {
    match (told, look) {
        (Told::Told, Look::Healed) => (Told::Over, Some(News::Healed)),
        (_, Look::Healed) => (Told::Over, None),
        (_, Look::There { waived: true, .. }) => (Told::Aside, None),
        (Told::Told, _) => (Told::Told, None),
        (_, Look::There { sure: false, .. }) => (told, None),
        (Told::Aside, _) => (Told::Told, Some(News::Reopened)),
        (_, Look::There { again: true, .. }) => (Told::Told, Some(News::Returned)),
        _ => (Told::Told, Some(News::Broke)),
    }
}

/// Whether a finding may be told without another check: its cause does not pass, or its
/// first and its last check lie far enough apart.
#[must_use]
pub fn is_sure(cause: Option<Cause>, first: Seconds, last: Seconds, apart: Seconds) -> bool {
    !cause.is_some_and(Cause::is_temporary) || last.saturating_sub(first) >= apart
}

/// How long a letter waits that could not be delivered so often: longer each time, up to
/// half a day.
#[must_use]
pub fn wait_after(failures: u32) -> Seconds {
    const GAPS: [Seconds; 6] = [MINUTE, 5 * MINUTE, 15 * MINUTE, HOUR, 4 * HOUR, 12 * HOUR];
    GAPS[(failures.max(1) as usize - 1).min(GAPS.len() - 1)]
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const THERE: Look = Look::There { waived: false, sure: true, again: false };

    #[test]
    fn a_finding_is_told_once_and_so_is_its_healing() {
        assert_eq!(step(Told::Waiting, THERE), (Told::Told, Some(News::Broke)));
        assert_eq!(step(Told::Told, THERE), (Told::Told, None));
        assert_eq!(step(Told::Told, Look::Healed), (Told::Over, Some(News::Healed)));
        let again = Look::There { waived: false, sure: true, again: true };
        assert_eq!(step(Told::Waiting, again), (Told::Told, Some(News::Returned)));
    }

    #[test]
    fn what_healed_before_it_was_told_is_never_told() {
        let unsure = Look::There { waived: false, sure: false, again: false };
        assert_eq!(step(Told::Waiting, unsure), (Told::Waiting, None));
        assert_eq!(step(Told::Waiting, Look::Healed), (Told::Over, None));
    }

    #[test]
    fn what_is_set_aside_is_told_when_that_ends() {
        let waived = Look::There { waived: true, sure: true, again: false };
        assert_eq!(step(Told::Told, waived), (Told::Aside, None));
        assert_eq!(step(Told::Aside, Look::Healed), (Told::Over, None));
        assert_eq!(step(Told::Aside, THERE), (Told::Told, Some(News::Reopened)));
    }

    #[test]
    fn only_what_may_pass_is_looked_at_twice() {
        assert!(is_sure(Some(Cause::NotFound), 0, 0, APART));
        assert!(is_sure(None, 0, 0, APART));
        assert!(!is_sure(Some(Cause::Timeout), 0, APART - 1, APART));
        assert!(is_sure(Some(Cause::Timeout), 0, APART, APART));
        assert!(!is_sure(Some(Cause::ServerError), 100, 0, APART), "a clock that went back");
    }

    #[test]
    fn the_gaps_grow_up_to_half_a_day() {
        let gaps: Vec<Seconds> = (0..9).map(wait_after).collect();
        assert!(gaps.windows(2).all(|two| two[0] <= two[1]), "{gaps:?}");
        assert_eq!((gaps[1], gaps[8]), (MINUTE, 12 * HOUR));
    }

    fn look() -> impl Strategy<Value = Look> {
        let there = any::<[bool; 3]>().prop_map(|[waived, sure, again]| Look::There {
            waived,
            sure,
            again,
        });
        prop_oneof![4 => there, 1 => Just(Look::Healed)]
    }

    proptest! {
        /// Over any history of one finding: it is told that something is wrong at most
        /// once before it heals or is set aside, its healing only after that, nothing
        /// while it is set aside, and nothing that is unsure.
        #[test]
        fn each_change_is_told_once(looks in prop::collection::vec(look(), 0..40)) {
            let (mut told, mut known) = (Told::Waiting, false);
            for look in looks {
                let (next, news) = step(told, look);
                match news {
                    Some(News::Healed) => prop_assert!(known && look == Look::Healed),
                    Some(_) => {
                        let is_sure = matches!(look, Look::There { waived: false, sure: true, .. });
                        prop_assert!(!known && is_sure, "{:?} {:?}", told, look);
                    }
                    None => {}
                }
                known = match (news, look) {
                    (Some(News::Healed), _) | (_, Look::There { waived: true, .. }) => false,
                    (Some(_), _) => true,
                    (None, Look::Healed) => {
                        prop_assert!(!known, "a healing is told to those who knew");
                        false
                    }
                    (None, Look::There { .. }) => known,
                };
                // A finding that is over begins anew as another one.
                told = if next == Told::Over { Told::Waiting } else { next };
                prop_assert_eq!(Told::named(told.as_str()), Some(told));
            }
        }
    }
}
