//! The rhythm of checks: what each kind waits for, and what must hold whatever the past.

use std::collections::HashMap;

use proptest::prelude::*;

use super::*;

const AT: Seconds = 1_700_000_000;

fn checked(word: Word) -> Checked {
    Checked {
        word,
        scope: Scope::External,
        last: AT,
        since: AT,
        times: 1,
        is_new: false,
        waived: false,
    }
}

/// The gap to the next check, where no address spreads it.
fn waits(checked: Checked) -> Option<Seconds> {
    gap(&checked, &Rhythm::default()).map(|(gap, _)| gap)
}

#[test]
fn what_is_sound_waits_a_week_then_half_as_long_again_up_to_four_weeks() {
    let sound = checked(Word::Sound);
    let days = |times| waits(Checked { times, ..sound }).map(|gap| gap * 10 / DAY);
    assert_eq!([1, 2, 3, 4, 5, 90].map(days), [70, 105, 157, 236, 280, 280].map(Some));
    let new = Checked { is_new: true, ..sound };
    let days = |times| waits(Checked { times, ..new }).map(|gap| gap * 10 / DAY);
    assert_eq!(
        [1, 2, 3, 4].map(days),
        [10, 70, 105, 157].map(Some),
        "a new address: one day first"
    );
    let own = Checked { scope: Scope::Internal, ..sound };
    assert_eq!(waits(own), None, "its own pages are asked with each crawl");
}

#[test]
fn what_may_pass_is_asked_soon_then_daily() {
    let passing = checked(Word::Passing);
    let minutes = |times| waits(Checked { times, ..passing }).map(|gap| gap / MINUTE);
    assert_eq!([1, 2, 3, 4, 50].map(minutes), [30, 120, 720, 1440, 1440].map(Some));
    let own = Checked { scope: Scope::Internal, ..passing };
    assert_eq!(waits(own), Some(30 * MINUTE), "its own pages too");
}

#[test]
fn what_is_broken_is_asked_daily_for_a_month_then_weekly() {
    let wrong = checked(Word::Wrong);
    assert_eq!(waits(wrong), Some(DAY));
    assert_eq!(waits(Checked { since: AT - 29 * DAY, ..wrong }), Some(DAY));
    assert_eq!(waits(Checked { since: AT - 30 * DAY, ..wrong }), Some(7 * DAY));
    assert_eq!(waits(Checked { waived: true, ..wrong }), Some(30 * DAY));
    let healed = Checked { waived: true, ..checked(Word::Sound) };
    assert_eq!(waits(healed), Some(7 * DAY), "nothing of it is waived any more");
}

#[test]
fn a_verdict_says_whether_it_may_pass() {
    let word = |verdict, cause| Word::of(verdict, Some(cause));
    assert_eq!(word(Verdict::Broken, Cause::Timeout), Some(Word::Passing));
    assert_eq!(word(Verdict::Doubtful, Cause::Busy), Some(Word::Passing));
    assert_eq!(word(Verdict::Broken, Cause::NotFound), Some(Word::Wrong));
    assert_eq!(word(Verdict::Doubtful, Cause::AccessRefused), Some(Word::Wrong));
    assert_eq!(word(Verdict::Moved, Cause::MovedPermanently), Some(Word::Sound));
    assert_eq!(word(Verdict::Skipped, Cause::Excluded), None);
}

#[test]
fn of_a_host_no_more_are_asked_in_an_hour_than_may_be() {
    let rhythm = Rhythm { per_host_hour: 2, ..Rhythm::default() };
    let wishes = [(1, AT), (1, AT), (2, AT), (1, AT), (1, AT + 9), (2, AT + 5 * HOUR)];
    let times = share(AT, wishes, [(1, AT - 10), (7, AT)], &rhythm);
    let wait = [0, HOUR - 10, 0, HOUR, 2 * HOUR - 10, 5 * HOUR];
    assert_eq!(times, wait.map(|wait| AT + wait));
}

fn any_checked() -> impl Strategy<Value = Checked> {
    let word = prop_oneof![Just(Word::Sound), Just(Word::Passing), Just(Word::Wrong)];
    let scope = prop_oneof![Just(Scope::Internal), Just(Scope::External)];
    (word, scope, 0..AT, 0..400 * DAY, 1..100u32, any::<[bool; 2]>()).prop_map(
        |(word, scope, last, ago, times, [is_new, waived])| Checked {
            word,
            scope,
            last,
            since: last - ago,
            times,
            is_new,
            waived,
        },
    )
}

proptest! {
    #[test]
    fn nothing_is_due_before_it_was_asked_and_all_is_within_a_tenth(
        address in "[a-z/:.]{1,30}",
        checked in any_checked(),
    ) {
        let rhythm = Rhythm::default();
        let Some((at, why)) = due(&address, &checked, &rhythm) else {
            prop_assert_eq!((checked.word, checked.scope), (Word::Sound, Scope::Internal));
            return Ok(());
        };
        let (gap, _) = gap(&checked, &rhythm).expect("it is due");
        prop_assert!(at > checked.last);
        prop_assert!((at - checked.last - gap).abs() <= gap / 10, "{} for {}", at, gap);
        prop_assert!(at - checked.last <= rhythm.waived + rhythm.waived / 10);
        prop_assert_eq!(due(&address, &checked, &rhythm), Some((at, why)), "repeatable");
    }

    /// Whatever is due: nobody is asked early, no hour of a host holds too many, of each
    /// host who came first goes first, and nobody waits longer than those before it take.
    #[test]
    fn hours_are_shared_and_nobody_starves(
        most in 1..5usize,
        mut wishes in prop::collection::vec((0..3u32, AT - DAY..AT + DAY), 0..80),
        mut asked in prop::collection::vec((0..3u32, AT - DAY..AT), 0..20),
    ) {
        let rhythm = Rhythm { per_host_hour: most, ..Rhythm::default() };
        wishes.sort_by_key(|(_, due)| *due);
        asked.sort_by_key(|(_, at)| *at);
        // What was asked kept to the same rule.
        let past = share(AT - DAY, asked.iter().copied(), [], &rhythm);
        let past: Vec<(u32, Seconds)> =
            asked.iter().zip(past).map(|((host, _), at)| (*host, at)).filter(|(_, at)| *at < AT).collect();
        let times = share(AT, wishes.iter().copied(), past.iter().copied(), &rhythm);
        let mut of_host: HashMap<u32, Vec<Seconds>> = HashMap::new();
        past.iter().for_each(|(host, at)| of_host.entry(*host).or_default().push(*at));
        for ((host, due), at) in wishes.iter().zip(&times) {
            prop_assert!(*at >= AT && at >= due);
            let before = of_host.entry(*host).or_default();
            prop_assert!(before.last().is_none_or(|last| last <= at), "who came first goes first");
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

/// An address of the simulated month: what it says at some hour.
struct Simulated {
    name: String,
    host: u32,
    /// From which hour on it says what.
    story: Vec<(Seconds, Word)>,
    checked: Option<Checked>,
    past: crate::standing::Past,
    /// What was told of it: the hour, and the standing.
    told: Vec<(Seconds, crate::selection::Standing)>,
}

impl Simulated {
    fn says(&self, hour: Seconds) -> Word {
        let now = self.story.iter().rev().find(|(from, _)| *from <= hour);
        now.map_or(Word::Sound, |(_, word)| *word)
    }

    fn ask(&mut self, at: Seconds, hour: Seconds) {
        use crate::standing::{Before, Seen, step};
        let word = self.says(hour);
        self.checked = Some(match self.checked {
            Some(checked) if checked.word == word => {
                Checked { last: at, times: checked.times + 1, ..checked }
            }
            earlier => Checked {
                last: at,
                since: at,
                is_new: earlier.is_none(),
                ..super::tests::checked(word)
            },
        });
        let checked = self.checked.expect("it was just set");
        // What may pass is told after two checks that are half an hour apart.
        let seen = match word {
            Word::Sound => Seen::Gone,
            Word::Wrong => Seen::There,
            Word::Passing if at - checked.since >= 30 * MINUTE => Seen::There,
            Word::Passing => Seen::Passing,
        };
        let Ok((past, news)) =
            step(self.past, seen, || Ok::<_, std::convert::Infallible>(Before::Looked));
        self.past = past;
        self.told.extend(news.map(|news| (hour, news)));
    }
}

/// Thirty days of 200 addresses on ten hosts, of which twelve fail in ways of their own,
/// looked at every ten minutes by a clock that once sleeps for a day: each change is told
/// once and soon, nothing is told of what passes in between, and no host is asked too
/// often.
#[test]
fn a_month_of_checks_tells_every_change_once_and_keeps_to_its_budget() {
    use crate::selection::Standing::{Healed, New, Returned};
    let rhythm = Rhythm { per_host_hour: 6, ..Rhythm::default() };
    let stories: [Vec<(Seconds, Word)>; 12] = [
        vec![(50, Word::Wrong)],
        vec![(50, Word::Wrong), (100, Word::Sound)],
        vec![(0, Word::Wrong)],
        vec![(0, Word::Wrong), (300, Word::Sound)],
        vec![(20, Word::Passing)],
        vec![(20, Word::Passing), (200, Word::Sound)],
        vec![(0, Word::Passing), (600, Word::Sound)],
        vec![(0, Word::Passing)],
        vec![(0, Word::Wrong), (60, Word::Sound), (400, Word::Wrong)],
        vec![(100, Word::Passing), (300, Word::Wrong)],
        vec![(400, Word::Wrong), (640, Word::Sound)],
        vec![(10, Word::Wrong)],
    ];
    let mut all: Vec<Simulated> = (0..200usize)
        .map(|n| Simulated {
            name: format!("https://host{}.test/{n}", n % 10),
            host: u32::try_from(n % 10).expect("ten hosts"),
            story: stories.get(n).cloned().unwrap_or_default(),
            checked: None,
            past: crate::standing::Past::Never,
            told: Vec::new(),
        })
        .collect();
    let mut asked: Vec<(u32, Seconds)> = Vec::new();
    let mut a_day = [0u32; 31];
    for tick in 0..30 * 24 * 6 {
        let hour = tick / 6;
        // The machine sleeps through the fifteenth day.
        if (14 * 24..15 * 24).contains(&hour) {
            continue;
        }
        let now = AT + tick * 10 * MINUTE;
        let mut wishes: Vec<(Seconds, usize)> = (0..all.len())
            .filter_map(|at| {
                let due = match &all[at].checked {
                    None => Some(AT),
                    Some(checked) => due(&all[at].name, checked, &rhythm).map(|(due, _)| due),
                };
                Some((due?, at))
            })
            .collect();
        wishes.sort_unstable();
        let hosts = wishes.iter().map(|(due, at)| (all[*at].host, *due));
        let times = share(now, hosts, asked.iter().copied(), &rhythm);
        for ((_, at), time) in wishes.into_iter().zip(times) {
            if time <= now {
                all[at].ask(now, hour);
                asked.push((all[at].host, now));
                a_day[usize::try_from(hour / 24).expect("days")] += 1;
            }
        }
    }
    for host in 0..10 {
        let times: Vec<Seconds> =
            asked.iter().filter(|(of, _)| *of == host).map(|(_, at)| *at).collect();
        for hour in times.windows(7) {
            assert!(hour[6] - hour[0] >= HOUR, "host {host}: {hour:?}");
        }
    }
    let standings = |at: usize| all[at].told.iter().map(|(_, what)| *what).collect::<Vec<_>>();
    let expected = [
        vec![New],
        // It broke and healed between two weekly looks: nobody saw it.
        vec![],
        vec![New],
        vec![New, Healed],
        vec![New],
        vec![New, Healed],
        vec![New, Healed],
        vec![New],
        vec![New, Healed, Returned],
        vec![New],
        vec![New, Healed],
        vec![New],
    ];
    for (at, expected) in expected.into_iter().enumerate() {
        assert_eq!(standings(at), expected, "{at}");
    }
    assert!(all[12..].iter().all(|one| one.told.is_empty()), "no false alarm");
    for (at, since) in [(2usize, 0), (3, 300), (6, 600), (8, 400)] {
        let last = all[at].told.last().expect("it was told").0;
        assert!(last - since <= 12 * 24, "{at} was told after {} hours", last - since);
    }
    let quiet: u32 = a_day[20..30].iter().sum();
    assert!(a_day[0] >= 200 && a_day[14] == 0, "{a_day:?}");
    assert!(quiet / 10 < 60, "a quiet day asks little: {a_day:?}");
}
