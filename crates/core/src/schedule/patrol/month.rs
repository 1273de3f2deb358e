//! A patrol over thirty days, with a clock that jumps: 200 URLs on ten hosts, of which twelve
//! fail in various ways.

use std::convert::Infallible;

use super::*;
use crate::schedule::notifications::{
    APART, CheckResult, Notification, NotifyState, is_sure, step,
};
use crate::schedule::policy::{Checked, LastOutcome, RecheckPolicy, due_at, share};
use crate::url::scope::Scope;
use crate::verdict::Cause;

const BEGAN: Seconds = 1_700_000_000;
const DAY: Seconds = 24 * HOUR;

/// A URL: its results over time, its checks, and its notifications.
struct Simulated {
    name: String,
    host: u32,
    /// Results, each from some hour on.
    story: Vec<(Seconds, LastOutcome)>,
    checked: Option<Checked>,
    found: crate::findings::lifecycle::FindingState,
    notified: NotifyState,
    was_notified: bool,
    /// Notifications, with their hour.
    news: Vec<(Seconds, Notification)>,
}

impl Simulated {
    fn says(&self, hour: Seconds) -> LastOutcome {
        let now = self.story.iter().rev().find(|(from, _)| *from <= hour);
        now.map_or(LastOutcome::Sound, |(_, last)| *last)
    }

    fn due(&self, now: Seconds, policy: &RecheckPolicy) -> Option<Seconds> {
        match &self.checked {
            None => Some(now),
            Some(checked) => due_at(&self.name, checked, policy, now).map(|(due, _)| due),
        }
    }

    fn check(&mut self, at: Seconds, hour: Seconds) {
        use crate::findings::lifecycle::{FindingState, Observation, PreviousRun, step as found};
        let last = self.says(hour);
        let checked = match self.checked {
            Some(checked) if checked.last == last => {
                Checked { checked_at: at, times: checked.times + 1, ..checked }
            }
            earlier => Checked {
                last,
                scope: Scope::External,
                checked_at: at,
                since: at,
                times: 1,
                is_new: earlier.is_none(),
                waived: false,
            },
        };
        self.checked = Some(checked);
        let observation =
            if last == LastOutcome::Sound { Observation::Gone } else { Observation::Present };
        let before = self.found;
        let Ok((past, _)) =
            found(before, observation, || Ok::<_, Infallible>(PreviousRun::CouldSee));
        self.found = past;
        let result = match (before, past) {
            (FindingState::Open, FindingState::Healed) => CheckResult::Healed,
            (_, FindingState::Open) => {
                let cause = (last == LastOutcome::Temporary).then_some(Cause::Timeout);
                let sure = is_sure(cause, checked.since, checked.checked_at, APART);
                CheckResult::Present { waived: false, sure, again: self.was_notified }
            }
            _ => return,
        };
        let (notified, news) = step(self.notified, result);
        self.notified =
            if notified == NotifyState::Closed { NotifyState::Pending } else { notified };
        self.was_notified |= news.is_some();
        self.news.extend(news.map(|news| (hour, news)));
    }
}

/// The wall clock: on the twentieth day it is set three hours back, and for an hour of the
/// twenty-fourth it is two days ahead.
fn wall(time: Seconds) -> Seconds {
    let jump = match time / HOUR {
        456..480 => -3 * HOUR,
        560 => 2 * DAY,
        _ => 0,
    };
    BEGAN + time + jump
}

fn stories() -> Vec<Vec<(Seconds, LastOutcome)>> {
    vec![
        vec![(50, LastOutcome::Wrong)],
        vec![(50, LastOutcome::Wrong), (300, LastOutcome::Sound)],
        vec![(0, LastOutcome::Wrong)],
        vec![(0, LastOutcome::Wrong), (300, LastOutcome::Sound)],
        vec![(20, LastOutcome::Temporary)],
        vec![(20, LastOutcome::Temporary), (260, LastOutcome::Sound)],
        vec![(0, LastOutcome::Temporary), (600, LastOutcome::Sound)],
        vec![(0, LastOutcome::Temporary)],
        vec![(0, LastOutcome::Wrong), (60, LastOutcome::Sound), (400, LastOutcome::Wrong)],
        vec![(100, LastOutcome::Temporary), (300, LastOutcome::Wrong)],
        vec![(400, LastOutcome::Wrong), (640, LastOutcome::Sound)],
        // A server that is unavailable for less than half an hour, now and then.
        vec![
            (0, LastOutcome::Temporary),
            (1, LastOutcome::Sound),
            (500, LastOutcome::Temporary),
            (501, LastOutcome::Sound),
        ],
    ]
}

/// The requests, by true time, and the final state of all URLs.
fn month(policy: &RecheckPolicy) -> (Vec<(u32, Seconds)>, Vec<Simulated>) {
    let stories = stories();
    let mut all: Vec<Simulated> = (0..200usize)
        .map(|n| Simulated {
            name: format!("https://host{}.test/{n}", n % 10),
            host: u32::try_from(n % 10).expect("ten hosts"),
            story: stories.get(n).cloned().unwrap_or_default(),
            checked: None,
            found: crate::findings::lifecycle::FindingState::Never,
            notified: NotifyState::Pending,
            was_notified: false,
            news: Vec::new(),
        })
        .collect();
    let mut site = SiteState { every: Seconds::MAX / 2, ..SiteState::default() };
    let mut checks: Vec<(u32, Seconds)> = Vec::new();
    let mut noted: Vec<(u32, Seconds)> = Vec::new();
    for minute in 0..30 * 24 * 60 {
        let time = minute * MINUTE;
        let hour = time / HOUR;
        // The machine sleeps through the fifteenth day.
        if (14 * 24..15 * 24).contains(&hour) {
            continue;
        }
        let now = wall(time);
        // The first job crawls the site; then the patrol decides.
        if minute > 0 && (next(&site, now).1 != Task::Recheck || next(&site, now).0 > now) {
            continue;
        }
        let mut uses: Vec<(Seconds, usize)> =
            (0..all.len()).filter_map(|at| Some((all[at].due(now, policy)?, at))).collect();
        uses.sort_unstable();
        let hosts = uses.iter().map(|(due, at)| (all[*at].host, *due));
        let times = share(now, hosts, noted.iter().copied(), policy);
        let mut due = None::<Seconds>;
        for ((_, at), time_of) in uses.into_iter().zip(times) {
            if time_of <= now {
                all[at].check(now, hour);
                checks.push((all[at].host, time));
                noted.push((all[at].host, now));
            } else {
                due = Some(due.map_or(time_of, |due| due.min(time_of)));
            }
        }
        let again = all.iter().filter_map(|one| one.due(now, policy)).min();
        site.due = due.into_iter().chain(again.filter(|at| *at > now)).min();
        (site.crawled, site.passed) = (Some(now), Some(now));
    }
    (checks, all)
}

#[test]
fn every_change_is_reported_once_and_no_host_is_checked_too_often() {
    use Notification::{Healed, NewlyBroken, Returned};
    let policy = RecheckPolicy { per_host_hour: 6, ..RecheckPolicy::default() };
    let (checks, all) = month(&policy);
    for host in 0..10 {
        let times: Vec<Seconds> =
            checks.iter().filter(|(of, _)| *of == host).map(|(_, at)| *at).collect();
        for hour in times.windows(7) {
            assert!(hour[6] - hour[0] >= HOUR, "host {host}: {hour:?}");
        }
    }
    let notified = |at: usize| all[at].news.iter().map(|(_, what)| *what).collect::<Vec<_>>();
    let expected = [
        vec![NewlyBroken],
        vec![NewlyBroken, Healed],
        vec![NewlyBroken],
        vec![NewlyBroken, Healed],
        vec![NewlyBroken],
        vec![NewlyBroken, Healed],
        vec![NewlyBroken, Healed],
        vec![NewlyBroken],
        vec![NewlyBroken, Healed, Returned],
        vec![NewlyBroken],
        vec![NewlyBroken, Healed],
        vec![],
    ];
    for (at, expected) in expected.into_iter().enumerate() {
        assert_eq!(notified(at), expected, "{at}");
    }
    assert!(all[12..].iter().all(|one| one.news.is_empty()), "no false alarm");
    for (at, since) in [(2usize, 0), (3, 300), (6, 600), (8, 400)] {
        let checked_at = all[at].news.last().expect("it was reported").0;
        assert!(
            checked_at - since <= 12 * 24,
            "{at} was reported after {} hours",
            checked_at - since
        );
    }
    let mut a_day = [0u32; 30];
    checks.iter().for_each(|(_, at)| a_day[usize::try_from(at / DAY).expect("days")] += 1);
    // Requests per day: all once, new ones once more, then every week or less often; the machine
    // slept through the fifteenth day.
    let expected = [
        [258, 156, 7, 6, 6, 6, 5, 96, 112, 9],
        [10, 10, 8, 7, 0, 10, 7, 56, 85, 68],
        [17, 8, 8, 18, 8, 8, 7, 7, 8, 6],
    ];
    assert_eq!(a_day, *expected.as_flattened());
}
