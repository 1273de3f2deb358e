//! What comes next for sites, and the effect of budgets and clocks.

use proptest::prelude::*;

use super::*;

const NOW: Seconds = 1_700_000_000;
const DAY: Seconds = 24 * HOUR;

fn site() -> SiteState {
    let last = Some(NOW - HOUR);
    SiteState { every: DAY, crawled: last, passed: last, ..SiteState::default() }
}

#[test]
fn a_new_site_is_crawled_at_once_and_then_at_its_interval() {
    let new = SiteState { every: DAY, ..SiteState::default() };
    assert_eq!(next(&new, NOW), (Seconds::MIN, Task::Crawl));
    assert_eq!(next(&site(), NOW), (NOW + 23 * HOUR, Task::Crawl));
}

#[test]
fn due_urls_are_rechecked_unless_a_crawl_comes_first() {
    let due = |at| SiteState { due: Some(at), ..site() };
    assert_eq!(next(&due(NOW + 9), NOW), (NOW + 9, Task::Recheck));
    assert_eq!(next(&due(NOW + 2 * DAY), NOW), (NOW + 23 * HOUR, Task::Crawl));
    let just = SiteState { passed: Some(NOW - 5), ..due(NOW - 9) };
    assert_eq!(next(&just, NOW), (NOW - 5 + PAUSE, Task::Recheck));
}

#[test]
fn a_stopped_job_is_continued_first() {
    let half = SiteState { unfinished: true, ..site() };
    assert_eq!(next(&half, NOW).1, Task::Continue);
    let waits = SiteState { every: DAY, ..SiteState::default() };
    assert_eq!(first(&[waits, half], NOW), Some((1, Seconds::MIN, Task::Continue)));
    assert_eq!(first(&[], NOW), None);
}

#[test]
fn waits_grow_after_failed_attempts() {
    let wait = |times| {
        let failed = SiteState { failed: Some((NOW, times)), crawled: None, ..site() };
        (next(&failed, NOW).0 - NOW) / MINUTE
    };
    assert_eq!([1, 2, 3, 4, 5, 6, 7, 8, 99].map(wait), [5, 10, 20, 40, 80, 160, 320, 360, 360]);
}

#[test]
fn no_requests_during_quiet_hours() {
    let held = SiteState { held: Some(NOW + 99), unfinished: true, ..site() };
    assert_eq!(next(&held, NOW), (NOW + 99, Task::Continue));
    let over = SiteState { held: Some(NOW - 99), ..site() };
    assert_eq!(next(&over, NOW).0, NOW + 23 * HOUR);
}

#[test]
fn a_crawl_recorded_in_the_future_is_no_reason_to_wait() {
    let year = 365 * DAY;
    let wrong = SiteState { crawled: Some(NOW + year), passed: Some(NOW + year), ..site() };
    assert!(next(&wrong, NOW).0 <= NOW, "the clock was a year ahead when it was crawled");
    let ahead = |by| SiteState { crawled: Some(NOW + by), ..site() };
    let every = site().every;
    assert_eq!(next(&ahead(LEEWAY), NOW).0, NOW + LEEWAY + every, "clocks may differ this much");
    assert!(next(&ahead(LEEWAY + 1), NOW).0 <= NOW);
    let failed = |by| SiteState { failed: Some((NOW + by, 1)), crawled: None, ..site() };
    assert!(next(&failed(LEEWAY), NOW).0 > NOW);
    assert!(next(&failed(LEEWAY + 1), NOW).0 <= NOW);
    let failed = SiteState { failed: Some((NOW + year, 3)), crawled: None, ..site() };
    assert!(next(&failed, NOW).0 <= NOW);
    let mut budget = Budget::per_hour(5);
    budget.spend(NOW + year, 5);
    assert_eq!(budget.left(NOW), 0);
    assert_eq!(budget.free_at(NOW), NOW + HOUR);
    assert_eq!(budget.left(NOW + HOUR), 5);
}

#[test]
fn a_budget_is_restored_after_an_hour() {
    let mut budget = Budget::per_hour(10);
    budget.spend(NOW, 4);
    budget.spend(NOW + 60, 8);
    assert_eq!((budget.left(NOW + 60), budget.free_at(NOW + 60)), (0, NOW + HOUR));
    assert_eq!(budget.left(NOW + HOUR), 2);
    assert_eq!(budget.left(NOW + HOUR + 60), 10);
}

proptest! {
    /// However requests are made: if each stays within what is left, no hour has more than the
    /// budget; and at the time that `free_at` names, some are left.
    #[test]
    fn no_hour_exceeds_the_budget(
        most in 1..50u64,
        uses in prop::collection::vec((0..30 * MINUTE, 1..40u64), 0..60),
    ) {
        let mut budget = Budget::per_hour(most);
        let (mut now, mut made) = (NOW, Vec::new());
        for (pause, body_use) in uses {
            now += pause;
            let free = budget.free_at(now);
            prop_assert!(free >= now && budget.clone().left(free) > 0);
            let may = body_use.min(budget.left(now));
            budget.spend(now, may);
            made.push((now, may));
            let lately = made.iter().filter(|(at, _)| *at > now - HOUR);
            prop_assert!(lately.map(|(_, requests)| requests).sum::<u64>() <= most);
        }
    }

    /// Whatever the state of a site: nothing happens before its delay is over, nor too soon after
    /// a failed attempt; and it happens eventually.
    #[test]
    fn nothing_is_done_too_early_and_everything_eventually(
        every in MINUTE..30 * DAY,
        crawled in prop::option::of(-40 * DAY..40 * DAY),
        due in prop::option::of(-DAY..DAY),
        failed in prop::option::of((0..DAY, 1..40u32)),
        held in prop::option::of(-DAY..DAY),
        unfinished in any::<bool>(),
    ) {
        let at = |offset: Option<Seconds>| offset.map(|offset| NOW + offset);
        let site = SiteState {
            every,
            crawled: at(crawled),
            passed: at(crawled),
            unfinished,
            due: at(due),
            failed: failed.map(|(ago, times)| (NOW - ago, times)),
            held: at(held),
        };
        let (when, task) = next(&site, NOW);
        prop_assert!(site.held.is_none_or(|held| when >= held));
        if let Some((at, times)) = site.failed {
            prop_assert!(when >= at + after(times));
        }
        prop_assert!(when <= NOW + every.max(LONGEST).max(2 * DAY), "{} {:?}", when - NOW, task);
        prop_assert!(!unfinished || task == Task::Continue);
    }

    /// With several sites and any failures, no site waits forever: a site that is ready gets its
    /// turn within as many jobs as there are sites.
    #[test]
    fn no_site_starves(every in prop::collection::vec(HOUR..3 * DAY, 1..5)) {
        let mut sites: Vec<SiteState> =
            every.iter().map(|every| SiteState { every: *every, ..SiteState::default() }).collect();
        let mut now = NOW;
        let mut served = vec![0; sites.len()];
        for _ in 0..200 {
            let (at, when, _) = first(&sites, now).expect("there are sites");
            now = now.max(when) + 60;
            served[at] += 1;
            sites[at].crawled = Some(now);
            sites[at].passed = Some(now);
        }
        for (at, every) in every.iter().enumerate() {
            let most = (now - NOW) / every;
            prop_assert!(served[at] >= most.min(200) * 9 / 10, "{:?} {:?}", served, sites);
        }
    }
}
