//! How long crawls take that have to wait, over simulated time.

use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::{Crawl, Settings};
use rummage_core::evidence::{AttemptOutcome, DnsFailure, Failure};

use url::Url;

use crate::web::{Act, Web, page};

const MS: Duration = Duration::from_millis(1);

/// A site of 100 pages of 100 ms, whose home page also links to these.
fn site(others: &[String]) -> Web {
    let pages: Vec<String> = (0..100).map(|n| format!("/page{n}")).collect();
    let refs: Vec<&str> = pages.iter().chain(others).map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&refs));
    for path in &pages {
        web = web.slow(&format!("http://a.test{path}"), 100 * MS, page(&[]));
    }
    web
}

fn with_all(others: &[String], act: &Act) -> Web {
    others.iter().fold(site(others), |web, url| web.on(url, act.clone()))
}

fn urls(hosts: usize, each: usize) -> Vec<String> {
    let of = |host: usize| (0..each).map(move |n| format!("http://host{host}.test/{n}"));
    (0..hosts).flat_map(of).collect()
}

fn own_urls(number: usize) -> Vec<String> {
    (0..number).map(|n| format!("http://a.test/own{n}")).collect()
}

/// Three attempts that time out: 20 s, 40 s, 40 s, with 5 s and 30 s in between.
const HANGS: u64 = 135;
/// Two pauses before the second and third attempt.
const RETRIES: u64 = 35;

/// Each crawl takes little more than the longest wait that it cannot avoid: while one server is
/// waited for, all others are requested.
#[test]
fn a_crawl_takes_little_more_than_its_longest_wait() {
    let refused = Failure::Refused;
    let down = AttemptOutcome::Failure(refused.clone());
    let no_name = Failure::Dns(DnsFailure::NoSuchName);
    let slow = |others: Vec<String>| {
        let web = site(&others);
        others.iter().fold(web, |web, url| web.slow(url, 10_000 * MS, page(&[])))
    };
    // What is waited for, the seconds that this takes at least, and how much longer it may take,
    // in percent.
    let cases: [(&str, Web, u64, u64); 16] = [
        ("nothing", site(&[]), 1, 0),
        ("200 names that do not exist", with_all(&urls(200, 1), &Act::Fail(no_name)), 1, 0),
        ("a host that refuses", with_all(&urls(1, 60), &Act::Fail(refused.clone())), RETRIES, 10),
        ("100 hosts that refuse", with_all(&urls(100, 1), &Act::Fail(refused)), RETRIES, 10),
        ("a host that hangs", with_all(&urls(1, 60), &Act::Hang), HANGS, 20),
        ("20 hosts that hang", with_all(&urls(20, 5), &Act::Hang), HANGS, 20),
        ("100 hosts that hang", with_all(&urls(100, 1), &Act::Hang), HANGS, 10),
        // 128 at a time: 64 of them have left their slots.
        ("200 hosts that hang", with_all(&urls(200, 1), &Act::Hang), HANGS, 45),
        ("7 pages that hang", with_all(&own_urls(7), &Act::Hang), HANGS, 10),
        ("8 pages that hang", with_all(&own_urls(8), &Act::Hang), HANGS, 10),
        ("40 pages that hang", with_all(&own_urls(40), &Act::Hang), HANGS, 10),
        (
            "20 pages that are reset",
            with_all(&own_urls(20), &Act::Fail(Failure::Reset)),
            RETRIES,
            10,
        ),
        ("20 pages that fail", with_all(&own_urls(20), &Act::Status(500)), RETRIES, 10),
        ("20 bodies that never end", with_all(&own_urls(20), &Act::Drip), 60, 10),
        // Two at a time.
        ("a host that takes 10 s", slow(urls(1, 10)), 50, 10),
        ("a server that is down for 20 s", site(&[]).down(200 * MS, 20_200 * MS, down), 20, 25),
    ];
    for (what, web, seconds, longer) in cases {
        let took = web.crawl(Settings::default()).end.since_start();
        let most = Duration::from_secs(seconds) * u32::try_from(100 + longer).unwrap() / 100;
        assert!(took <= most, "{what}: {took:?}, at least {seconds} s");
    }
}

/// Progress names what a crawl waits for.
#[test]
fn the_last_server_with_work_is_named() {
    let web = with_all(&urls(1, 6), &Act::Hang);
    let start = Url::parse("http://a.test/").unwrap();
    let settings = Settings::default();
    let timeout = settings.retry.timeout;
    let crawl = |replies| {
        let crawl = Crawl::new(settings.clone(), vec![start.clone()]);
        let seen = web.drive(crawl, timeout, Moment::START, replies);
        seen.crawl.last_server().map(|(server, urls)| (server.to_owned(), urls))
    };
    assert_eq!(crawl(1), Some(("a.test".to_owned(), 1)), "the start");
    assert_eq!(crawl(20), None, "there are pages of the site, too");
    let last = (100..110).find_map(crawl);
    assert_eq!(last, Some(("host0.test".to_owned(), 6)), "only the host that hangs is left");
}
