//! Which changes of a finding people are notified of, and when.
//!
//! Each change is reported once. A temporary failure is reported only after a second check, some
//! time after the first, has the same result; a waived finding is not reported until its waiver
//! ends.

use crate::Seconds;
use crate::verdict::Cause;

const MINUTE: Seconds = 60;
const HOUR: Seconds = 60 * MINUTE;

/// The minimum time between the two checks, unless the settings say otherwise.
pub const APART: Seconds = 30 * MINUTE;

/// Whether people have been notified of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NotifyState {
    /// Not yet.
    Pending,
    /// They have.
    Notified,
    /// It is waived.
    Waived,
    /// It is fixed, and people know, or never knew of it.
    Closed,
}

impl NotifyState {
    /// Its name in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            NotifyState::Pending => "waiting",
            NotifyState::Notified => "told",
            NotifyState::Waived => "aside",
            NotifyState::Closed => "over",
        }
    }

    /// The opposite of [`as_str`](NotifyState::as_str).
    #[must_use]
    pub fn named(name: &str) -> Option<NotifyState> {
        [NotifyState::Pending, NotifyState::Notified, NotifyState::Waived, NotifyState::Closed]
            .into_iter()
            .find(|notified| notified.as_str() == name)
    }
}

/// What a check finds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CheckResult {
    /// The finding is present.
    Present {
        /// A waiver covers it.
        waived: bool,
        /// No second check is needed.
        sure: bool,
        /// People were notified of it before, and that it was fixed.
        again: bool,
    },
    /// The finding is fixed.
    Healed,
}

/// A change that people are notified of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Notification {
    /// It is newly broken.
    NewlyBroken,
    /// It was fixed, and is back.
    Returned,
    /// It was waived, and no longer is.
    Reopened,
    /// It is fixed.
    Healed,
}

/// The state after a check, and the notification to send.
#[must_use]
pub fn step(notified: NotifyState, look: CheckResult) -> (NotifyState, Option<Notification>) {
    match (notified, look) {
        (NotifyState::Notified, CheckResult::Healed) => {
            (NotifyState::Closed, Some(Notification::Healed))
        }
        (_, CheckResult::Healed) => (NotifyState::Closed, None),
        (_, CheckResult::Present { waived: true, .. }) => (NotifyState::Waived, None),
        (NotifyState::Notified, _) => (NotifyState::Notified, None),
        (_, CheckResult::Present { sure: false, .. }) => (notified, None),
        (NotifyState::Waived, _) => (NotifyState::Notified, Some(Notification::Reopened)),
        (_, CheckResult::Present { again: true, .. }) => {
            (NotifyState::Notified, Some(Notification::Returned))
        }
        _ => (NotifyState::Notified, Some(Notification::NewlyBroken)),
    }
}

/// Whether a finding may be reported without another check: its cause is not temporary, or its
/// first and last check are far enough apart.
#[must_use]
pub fn is_sure(cause: Option<Cause>, first: Seconds, last: Seconds, apart: Seconds) -> bool {
    !cause.is_some_and(Cause::is_temporary) || last.saturating_sub(first) >= apart
}

/// How long to wait before sending a digest again after this many failures: longer each time, up
/// to half a day.
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
    fn a_finding_and_its_fix_are_reported_once() {
        assert_eq!(
            step(NotifyState::Pending, THERE),
            (NotifyState::Notified, Some(Notification::NewlyBroken))
        );
        assert_eq!(step(NotifyState::Notified, THERE), (NotifyState::Notified, None));
        assert_eq!(
            step(NotifyState::Notified, CheckResult::Healed),
            (NotifyState::Closed, Some(Notification::Healed))
        );
        let again = CheckResult::Present { waived: false, sure: true, again: true };
        assert_eq!(
            step(NotifyState::Pending, again),
            (NotifyState::Notified, Some(Notification::Returned))
        );
    }

    #[test]
    fn a_finding_fixed_before_it_was_reported_is_never_reported() {
        let unsure = CheckResult::Present { waived: false, sure: false, again: false };
        assert_eq!(step(NotifyState::Pending, unsure), (NotifyState::Pending, None));
        assert_eq!(step(NotifyState::Pending, CheckResult::Healed), (NotifyState::Closed, None));
    }

    #[test]
    fn a_waived_finding_is_reported_when_its_waiver_ends() {
        let waived = CheckResult::Present { waived: true, sure: true, again: false };
        assert_eq!(step(NotifyState::Notified, waived), (NotifyState::Waived, None));
        assert_eq!(step(NotifyState::Waived, CheckResult::Healed), (NotifyState::Closed, None));
        assert_eq!(
            step(NotifyState::Waived, THERE),
            (NotifyState::Notified, Some(Notification::Reopened))
        );
    }

    #[test]
    fn only_temporary_failures_need_a_second_check() {
        assert!(is_sure(Some(Cause::NotFound), 0, 0, APART));
        assert!(is_sure(None, 0, 0, APART));
        assert!(!is_sure(Some(Cause::Timeout), 0, APART - 1, APART));
        assert!(is_sure(Some(Cause::Timeout), 0, APART, APART));
        assert!(!is_sure(Some(Cause::ServerError), 100, 0, APART), "a clock that was set back");
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
        /// Over any history of one finding: it is reported at most once before it is fixed or
        /// waived, its fix only after that, nothing while it is waived, and nothing that is not
        /// sure.
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
                        prop_assert!(!known, "a fix is reported to people who knew");
                        false
                    }
                    (None, CheckResult::Present { .. }) => known,
                };
                // A closed finding starts again as another one.
                notified = if next == NotifyState::Closed { NotifyState::Pending } else { next };
                prop_assert_eq!(NotifyState::named(notified.as_str()), Some(notified));
            }
        }
    }
}
