//! The recheck policy: the interval of each kind of URL, and invariants over any history.

use std::collections::HashMap;

use proptest::prelude::*;

use super::*;

const AT: Seconds = 1_700_000_000;

fn checked(last: LastOutcome) -> Checked {
    Checked {
        last,
        scope: Scope::External,
        checked_at: AT,
        since: AT,
        times: 1,
        is_new: false,
        waived: false,
    }
}

/// The interval to the next check, without the spread by URL.
fn waits(checked: Checked) -> Option<Seconds> {
    gap(&checked, &RecheckPolicy::default()).map(|(gap, _)| gap)
}

#[test]
fn sound_urls_wait_a_week_then_half_as_long_again_up_to_four_weeks() {
    let sound = checked(LastOutcome::Sound);
    let days = |times| waits(Checked { times, ..sound }).map(|gap| gap * 10 / DAY);
    assert_eq!([1, 2, 3, 4, 5, 90].map(days), [70, 105, 157, 236, 280, 280].map(Some));
    let new = Checked { is_new: true, ..sound };
    let days = |times| waits(Checked { times, ..new }).map(|gap| gap * 10 / DAY);
    assert_eq!([1, 2, 3, 4].map(days), [10, 70, 105, 157].map(Some), "a new URL: one day first");
    let own = Checked { scope: Scope::Internal, ..sound };
    assert_eq!(waits(own), None, "internal pages are checked with each crawl");
}

#[test]
fn temporary_failures_are_rechecked_soon_then_daily() {
    let passing = checked(LastOutcome::Temporary);
    let minutes = |times| waits(Checked { times, ..passing }).map(|gap| gap / MINUTE);
    assert_eq!([1, 2, 3, 4, 50].map(minutes), [30, 120, 720, 1440, 1440].map(Some));
    let own = Checked { scope: Scope::Internal, ..passing };
    assert_eq!(waits(own), Some(30 * MINUTE), "internal pages too");
}

#[test]
fn broken_urls_are_rechecked_daily_for_a_month_then_weekly() {
    let wrong = checked(LastOutcome::Wrong);
    assert_eq!(waits(wrong), Some(DAY));
    assert_eq!(waits(Checked { since: AT - 29 * DAY, ..wrong }), Some(DAY));
    assert_eq!(waits(Checked { since: AT - 30 * DAY, ..wrong }), Some(7 * DAY));
    assert_eq!(waits(Checked { waived: true, ..wrong }), Some(30 * DAY));
    let healed = Checked { waived: true, ..checked(LastOutcome::Sound) };
    assert_eq!(waits(healed), Some(7 * DAY), "no longer waived");
}

#[test]
fn verdicts_and_causes_give_the_last_outcome() {
    let last = |verdict, cause| LastOutcome::of(verdict, Some(cause));
    assert_eq!(last(Verdict::Broken, Cause::Timeout), Some(LastOutcome::Temporary));
    assert_eq!(last(Verdict::Doubtful, Cause::Busy), Some(LastOutcome::Temporary));
    assert_eq!(last(Verdict::Broken, Cause::NotFound), Some(LastOutcome::Wrong));
    assert_eq!(last(Verdict::Doubtful, Cause::AccessRefused), Some(LastOutcome::Wrong));
    assert_eq!(last(Verdict::Moved, Cause::MovedPermanently), Some(LastOutcome::Sound));
    assert_eq!(last(Verdict::Skipped, Cause::Excluded), None);
}

#[test]
fn no_host_is_checked_more_often_than_its_hourly_limit() {
    let policy = RecheckPolicy { per_host_hour: 2, ..RecheckPolicy::default() };
    let uses = [(1, AT), (1, AT), (2, AT), (1, AT), (1, AT + 9), (2, AT + 5 * HOUR)];
    let times = share(AT, uses, [(1, AT - 10), (7, AT)], &policy);
    let wait = [0, HOUR - 10, 0, HOUR, 2 * HOUR - 10, 5 * HOUR];
    assert_eq!(times, wait.map(|wait| AT + wait));
}

fn any_checked() -> impl Strategy<Value = Checked> {
    let last = prop_oneof![
        Just(LastOutcome::Sound),
        Just(LastOutcome::Temporary),
        Just(LastOutcome::Wrong)
    ];
    let scope = prop_oneof![Just(Scope::Internal), Just(Scope::External)];
    (last, scope, 0..AT, 0..400 * DAY, 1..100u32, any::<[bool; 2]>()).prop_map(
        |(last, scope, checked_at, ago, times, [is_new, waived])| Checked {
            last,
            scope,
            checked_at,
            since: checked_at - ago,
            times,
            is_new,
            waived,
        },
    )
}

#[test]
fn a_check_recorded_in_the_future_is_no_reason_to_wait() {
    let wrong = checked(LastOutcome::Wrong);
    let policy = RecheckPolicy::default();
    let at = |now| due_at("https://a.test/", &wrong, &policy, now).map(|(at, _)| at);
    assert_eq!(at(AT - 400 * DAY), Some(AT - 400 * DAY));
    let planned = due("https://a.test/", &wrong, &policy).map(|(at, _)| at);
    assert_eq!(at(AT - LEEWAY), planned, "clocks may differ by this much");
    assert_eq!(at(AT - LEEWAY - 1), Some(AT - LEEWAY - 1));
    assert_eq!(at(AT), due("https://a.test/", &wrong, &policy).map(|(at, _)| at));
    let times =
        share(AT, [(1, AT)], [(1, AT + 9 * DAY)], &RecheckPolicy { per_host_hour: 1, ..policy });
    assert_eq!(times, [AT + HOUR]);
}

proptest! {
    #[test]
    fn due_times_follow_the_last_check_within_a_tenth_of_the_interval(
        url in "[a-z/:.]{1,30}",
        checked in any_checked(),
    ) {
        let policy = RecheckPolicy::default();
        let Some((at, reason)) = due(&url, &checked, &policy) else {
            prop_assert_eq!((checked.last, checked.scope), (LastOutcome::Sound, Scope::Internal));
            return Ok(());
        };
        let (gap, _) = gap(&checked, &policy).expect("it is due");
        prop_assert!(at > checked.checked_at);
        prop_assert!((at - checked.checked_at - gap).abs() <= gap / 10, "{} for {}", at, gap);
        prop_assert!(at - checked.checked_at <= policy.waived + policy.waived / 10);
        prop_assert_eq!(due(&url, &checked, &policy), Some((at, reason)), "repeatable");
    }

    /// For any requests: no URL is checked early, no hour of a host exceeds its limit, each
    /// host's URLs are first come, first served, and no URL waits longer than those before it
    /// take.
    #[test]
    fn hours_are_shared_and_no_url_starves(
        most in 1..5usize,
        mut uses in prop::collection::vec((0..3u32, AT - DAY..AT + DAY), 0..80),
        mut checked in prop::collection::vec((0..3u32, AT - DAY..AT), 0..20),
    ) {
        let policy = RecheckPolicy { per_host_hour: most, ..RecheckPolicy::default() };
        uses.sort_by_key(|(_, due)| *due);
        checked.sort_by_key(|(_, at)| *at);
        // Past checks followed the same rule.
        let past = share(AT - DAY, checked.iter().copied(), [], &policy);
        let past: Vec<(u32, Seconds)> =
            checked.iter().zip(past).map(|((host, _), at)| (*host, at)).filter(|(_, at)| *at < AT).collect();
        let times = share(AT, uses.iter().copied(), past.iter().copied(), &policy);
        let mut of_host: HashMap<u32, Vec<Seconds>> = HashMap::new();
        past.iter().for_each(|(host, at)| of_host.entry(*host).or_default().push(*at));
        for ((host, due), at) in uses.iter().zip(&times) {
            prop_assert!(*at >= AT && at >= due);
            let before = of_host.entry(*host).or_default();
            prop_assert!(before.last().is_none_or(|last| last <= at), "first come, first served");
            let free = (*due).max(AT);
            let waiting = before.iter().filter(|other| **other > free - HOUR).count();
            let longest = Seconds::try_from(waiting / most + 1).expect("few") * HOUR;
            prop_assert!(*at - free <= longest, "waits {} behind {}", at - free, waiting);
            before.push(*at);
        }
        for of_one in of_host.values() {
            for hour in of_one.windows(most + 1) {
                prop_assert!(hour[most] - hour[0] >= HOUR, "{:?}", hour);
            }
        }
    }
}
