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
pub enum NotifyState {
    /// Not yet.
    Pending,
    /// They know.
    NotifyState,
    /// It is set aside.
    Waived,
    /// It has healed, and they know, or never knew of it.
    Closed,
}

impl NotifyState {
    /// The word for it in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            NotifyState::Pending => "waiting",
            NotifyState::NotifyState => "told",
            NotifyState::Waived => "aside",
            NotifyState::Closed => "over",
        }
    }

    /// The opposite of [`as_str`](Told::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<NotifyState> {
        [NotifyState::Pending, NotifyState::NotifyState, NotifyState::Waived, NotifyState::Closed]
            .into_iter()
            .find(|notified| notified.as_str() == name)
    }
}

/// What a check has to say of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CheckResult {
    /// It is there.
    Present {
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
pub enum Notification {
    /// It broke.
    NewlyBroken,
    /// It had healed, and came back.
    Returned,
    /// It was set aside, and is not any more.
    Reopened,
    /// It healed.
    Healed,
}

/// What people know of a finding after a check, and what they are told.
#[must_use]
pub fn step(notified: NotifyState, look: CheckResult) -> (NotifyState, Option<Notification>) {
    match (notified, look) {
        (NotifyState::NotifyState, CheckResult::Healed) => {
            (NotifyState::Closed, Some(Notification::Healed))
        }
        (_, CheckResult::Healed) => (NotifyState::Closed, None),
        (_, CheckResult::Present { waived: true, .. }) => (NotifyState::Waived, None),
        (NotifyState::NotifyState, _) => (NotifyState::NotifyState, None),
        (_, CheckResult::Present { sure: false, .. }) => (notified, None),
        (NotifyState::Waived, _) => (NotifyState::NotifyState, Some(Notification::Reopened)),
        (_, CheckResult::Present { again: true, .. }) => {
            (NotifyState::NotifyState, Some(Notification::Returned))
        }
        _ => (NotifyState::NotifyState, Some(Notification::NewlyBroken)),
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

    const THERE: CheckResult = CheckResult::Present { waived: false, sure: true, again: false };

    #[test]
    fn a_finding_is_told_once_and_so_is_its_healing() {
        assert_eq!(
            step(NotifyState::Pending, THERE),
            (NotifyState::NotifyState, Some(Notification::NewlyBroken))
        );
        assert_eq!(step(NotifyState::NotifyState, THERE), (NotifyState::NotifyState, None));
        assert_eq!(
            step(NotifyState::NotifyState, CheckResult::Healed),
            (NotifyState::Closed, Some(Notification::Healed))
        );
        let again = CheckResult::Present { waived: false, sure: true, again: true };
        assert_eq!(
            step(NotifyState::Pending, again),
            (NotifyState::NotifyState, Some(Notification::Returned))
        );
    }

    #[test]
    fn what_healed_before_it_was_told_is_never_told() {
        let unsure = CheckResult::Present { waived: false, sure: false, again: false };
        assert_eq!(step(NotifyState::Pending, unsure), (NotifyState::Pending, None));
        assert_eq!(step(NotifyState::Pending, CheckResult::Healed), (NotifyState::Closed, None));
    }

    #[test]
    fn what_is_set_aside_is_told_when_that_ends() {
        let waived = CheckResult::Present { waived: true, sure: true, again: false };
        assert_eq!(step(NotifyState::NotifyState, waived), (NotifyState::Waived, None));
        assert_eq!(step(NotifyState::Waived, CheckResult::Healed), (NotifyState::Closed, None));
        assert_eq!(
            step(NotifyState::Waived, THERE),
            (NotifyState::NotifyState, Some(Notification::Reopened))
        );
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

    fn look() -> impl Strategy<Value = CheckResult> {
        let there = any::<[bool; 3]>().prop_map(|[waived, sure, again]| CheckResult::Present {
            waived,
            sure,
            again,
        });
        prop_oneof![4 => there, 1 => Just(CheckResult::Healed)]
    }

    proptest! {
        /// Over any history of one finding: it is told that something is wrong at most
        /// once before it heals or is set aside, its healing only after that, nothing
        /// while it is set aside, and nothing that is unsure.
        #[test]
        fn each_change_is_told_once(looks in prop::collection::vec(look(), 0..40)) {
            let (mut notified, mut known) = (NotifyState::Pending, false);
            for look in looks {
                let (next, news) = step(notified, look);
                match news {
                    Some(Notification::Healed) => prop_assert!(known && look == CheckResult::Healed),
                    Some(_) => {
                        let is_sure = matches!(look, CheckResult::Present { waived: false, sure: true, .. });
                        prop_assert!(!known && is_sure, "{:?} {:?}", notified, look);
                    }
                    None => {}
                }
                known = match (news, look) {
                    (Some(Notification::Healed), _) | (_, CheckResult::Present { waived: true, .. }) => false,
                    (Some(_), _) => true,
                    (None, CheckResult::Healed) => {
                        prop_assert!(!known, "a healing is told to those who knew");
                        false
                    }
                    (None, CheckResult::Present { .. }) => known,
                };
                // A finding that is over begins anew as another one.
                notified = if next == NotifyState::Closed { NotifyState::Pending } else { next };
                prop_assert_eq!(NotifyState::named(notified.as_str()), Some(notified));
            }
        }
    }
}
