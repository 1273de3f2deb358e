//! How fast servers are asked, over simulated time.

use std::time::Duration;

use rummage_core::crawl::Settings;

use crate::web::{Act, Web, page};

const MS: Duration = Duration::from_millis(1);

/// A home page that leads to so many others, each of which takes so long.
fn site(pages: usize, latency: Duration) -> Web {
    let links: Vec<String> = (0..pages).map(|n| format!("/{n}")).collect();
    let links: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&links));
    for link in links {
        web = web.slow(&format!("http://a.test{link}"), latency, page(&[]));
    }
    web
}

#[test]
fn a_quick_server_is_asked_by_sixteen_at_most() {
    let seen = site(400, 100 * MS).crawl(Settings::default());
    assert_eq!(seen.most_in_flight, 16);
    // 400 pages of 100 ms at 16 in flight take 2.5 s, and a little to speed up.
    assert!(seen.end.since_start() < 3500 * MS, "{:?}", seen.end);
}

#[test]
fn limits_that_were_set_are_kept() {
    let two = Settings { per_host: Some(2), ..Settings::default() };
    assert_eq!(site(50, 100 * MS).crawl(two).most_in_flight, 2);
    let few = Settings { concurrency: 3, ..Settings::default() };
    assert_eq!(site(50, 100 * MS).crawl(few).most_in_flight, 3);
    let slow = Settings { interval: Some(1000 * MS), ..Settings::default() };
    let seen = site(20, 10 * MS).crawl(slow);
    let starts: Vec<Duration> = seen.requests.iter().map(|(at, ..)| at.since_start()).collect();
    assert!(starts.windows(2).all(|pair| pair[1] - pair[0] >= 1000 * MS), "{starts:?}");
}

#[test]
fn loopback_is_asked_by_sixty_four() {
    let mut web = Web::default();
    let links: Vec<String> = (0..400).map(|n| format!("/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    web = web.on("http://127.0.0.1:8000/", page(&list));
    for link in &list {
        web = web.slow(&format!("http://127.0.0.1:8000{link}"), 50 * MS, page(&[]));
    }
    let seen = web.crawl_from(Settings::default(), &["http://127.0.0.1:8000/"]);
    assert_eq!(seen.most_in_flight, 64);
}

#[test]
fn a_server_that_restarts_for_twenty_seconds_gives_no_false_alarm() {
    let links: Vec<String> = (0..200).map(|n| format!("/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        let down = Act::Fail(rummage_core::outcome::Failure::Refused);
        let fine = || Box::new(page(&[]));
        let act = Act::Until(
            1000 * MS,
            fine(),
            Box::new(Act::Until(21_000 * MS, Box::new(down), fine())),
        );
        web = web.slow(&format!("http://a.test{link}"), 100 * MS, act);
    }
    let seen = web.crawl(Settings::default());
    assert!(seen.verdicts.values().all(|verdict| verdict == "sound 200"), "{:#?}", seen.verdicts);
    assert_eq!(seen.pages.len(), 201);
}

#[test]
fn strain_slows_a_server_down_and_everything_is_still_asked() {
    let links: Vec<String> = (0..40).map(|n| format!("/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        let act = Act::Until(2000 * MS, Box::new(Act::Status(503)), Box::new(page(&[])));
        web = web.slow(&format!("http://a.test{link}"), 200 * MS, act);
    }
    let seen = web.crawl(Settings::default());
    assert!(seen.verdicts.values().all(|verdict| verdict == "sound 200"), "{:#?}", seen.verdicts);
}
