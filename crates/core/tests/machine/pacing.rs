//! How fast servers are requested, over simulated time.

use std::time::Duration;

use rummage_core::crawl::{Response, Settings};

use crate::web::{Act, RateLimit, Web, page};

const MS: Duration = Duration::from_millis(1);

/// A home page that links to this many others, each with this latency.
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
fn a_quick_server_gets_at_most_sixteen_concurrent_requests() {
    let seen = site(400, 100 * MS).crawl(Settings::default());
    assert_eq!(seen.most_in_flight, 16);
    // 400 pages of 100 ms at 16 in flight take 2.5 s, and a little to speed up.
    assert!(seen.end.since_start() < 3500 * MS, "{:?}", seen.end);
}

#[test]
fn explicit_limits_are_kept() {
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
fn localhost_gets_sixty_four_concurrent_requests() {
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
fn a_restart_of_twenty_seconds_causes_no_false_alarm() {
    let links: Vec<String> = (0..200).map(|n| format!("/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        let down = Act::Fail(rummage_core::evidence::Failure::Refused);
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
fn strain_slows_requests_down_and_everything_is_still_checked() {
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

/// The server handles six requests at a time, but not seven.
#[test]
fn an_overloaded_server_is_checked_without_false_errors_at_a_good_pace() {
    for (latency, status) in [(40, 500), (100, 500), (300, 500), (100, 503), (100, 429)] {
        let web = site(2000, latency * MS).choking("http://a.test/", 7, status);
        let seen = web.crawl(Settings::default());
        let false_alarms: Vec<_> =
            seen.verdicts.iter().filter(|(_, verdict)| *verdict != "sound 200").collect();
        assert!(false_alarms.is_empty(), "{latency} ms, {status}: {false_alarms:#?}");
        // At best, six at a time: this many milliseconds.
        let best = 2000 * u128::from(latency) / 6;
        let last = seen.pages_at.last().unwrap().since_start().as_millis();
        assert!(last <= 2 * best, "{latency} ms, {status}: {last} of {best} at best");
    }
}

#[test]
fn a_gentle_crawl_makes_one_request_at_a_time_and_one_a_second() {
    let gentle = Settings { gentle: true, ..Settings::default() };
    let seen = site(20, 10 * MS).crawl(gentle);
    assert_eq!(seen.most_in_flight, 1);
    let starts: Vec<Duration> = seen.requests.iter().map(|(at, ..)| at.since_start()).collect();
    assert!(starts.windows(2).all(|pair| pair[1] - pair[0] >= 1000 * MS), "{starts:?}");
}

#[test]
fn retry_after_is_obeyed_once_and_applies_to_the_whole_server() {
    use rummage_core::evidence::ResponseHead;
    let busy = |seconds| {
        let beside = ResponseHead { retry_after: Some(seconds), ..ResponseHead::default() };
        Act::ResponseHead(beside, Box::new(Act::Status(429)))
    };
    let web = Web::default()
        .on("http://a.test/", page(&["/busy", "/later"]))
        .on("http://a.test/busy", Act::Times(1, Box::new(busy(30)), Box::new(page(&["/found"]))))
        .slow("http://a.test/later", 500 * MS, page(&["/after"]))
        .on("http://a.test/after", page(&[]))
        .on("http://a.test/found", page(&[]));
    let seen = web.crawl(Settings::default());
    let at = |path: &str| {
        let url = format!("http://a.test{path}");
        let of = seen.requests.iter().filter(move |(_, _, requested)| *requested == url);
        of.map(|(at, ..)| at.since_start().as_secs()).collect::<Vec<_>>()
    };
    assert_eq!(at("/busy"), [0, 30]);
    assert_eq!(at("/after"), [30], "the whole server is left in peace");
    assert_eq!(seen.verdict("http://a.test/busy"), "sound 200");

    let web = Web::default()
        .on("http://a.test/", page(&["/long", "/always"]))
        .on("http://a.test/long", busy(3600))
        .on("http://a.test/always", busy(10));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/long"), "doubtful busy 429");
    assert_eq!(seen.times_requested("http://a.test/long"), 1, "the run does not wait for an hour");
    assert_eq!(seen.verdict("http://a.test/always"), "doubtful busy 429");
    assert!(seen.end.since_start() < Duration::from_secs(60));
}

#[test]
fn the_hops_of_an_external_redirect_follow_at_once() {
    let mut web = Web::default().on("http://a.test/", page(&["http://b.test/1"]));
    for n in 1..20 {
        let to = format!("/{}", n + 1);
        web = web.on(&format!("http://b.test/{n}"), Act::Redirect(302, to));
    }
    let seen = web.on("http://b.test/20", page(&[])).crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/1"), "sound redirected 200");
    let last = seen.requests.iter().find(|(.., url)| url == "http://b.test/20").unwrap();
    assert!(last.0.since_start() < 1000 * MS, "{:?}", last.0);
}

/// Links to hosts where nothing is reached take no more time than their retries do.
#[test]
fn dead_hosts_are_not_paced() {
    use rummage_core::evidence::{DnsFailure, Failure, TlsFailure};
    for (failure, seconds) in [
        (Failure::Dns(DnsFailure::NoSuchName), 3),
        (Failure::Dns(DnsFailure::NoAddress), 3),
        (Failure::Tls(TlsFailure::NotTls), 3),
        (Failure::Refused, 40),
    ] {
        let links: Vec<String> = (0..60).map(|n| format!("http://gone.test/{n}")).collect();
        let refs: Vec<&str> = links.iter().map(String::as_str).collect();
        let mut web = Web::default().on("http://a.test/", page(&refs));
        for link in &links {
            web = web.on(link, Act::Fail(failure.clone()));
        }
        let seen = web.crawl(Settings::default());
        assert_eq!(seen.crawl.progress().broken, 60, "{failure:?}");
        let took = seen.end.since_start();
        assert!(took < Duration::from_secs(seconds), "{failure:?} took {took:?}");
    }
    // A server that answers is spared.
    let links: Vec<String> = (0..60).map(|n| format!("http://b.test/{n}")).collect();
    let refs: Vec<&str> = links.iter().map(String::as_str).collect();
    let seen = Web::default().on("http://a.test/", page(&refs)).crawl(Settings::default());
    assert!(seen.end.since_start() > Duration::from_secs(25), "{:?}", seen.end);
}

/// How a crawl of this many pages went on a server that limits the rate.
struct Limited {
    /// How much longer it took than the limit demands, in percent.
    longer: u64,
    /// How many requests of a hundred were refused.
    refused: u64,
}

fn crawl_limited(pages: usize, host: &str, latency: Duration, limit: RateLimit) -> Limited {
    let links: Vec<String> = (1..pages).map(|n| format!("{host}/{n}")).collect();
    let refs: Vec<&str> = links.iter().map(String::as_str).collect();
    let start = format!("{host}/");
    let mut web = Web::default().slow(&start, latency, page(&refs));
    for link in &links {
        web = web.slow(link, latency, page(&[]));
    }
    let per_second = u64::from(limit.per_second);
    let seen = web.limiting(limit.clone()).crawl_from(Settings::default(), &[&start]);
    let false_alarms: Vec<_> =
        seen.verdicts.iter().filter(|(_, verdict)| *verdict != "sound 200").collect();
    assert!(false_alarms.is_empty(), "{limit:?}: {false_alarms:#?}");
    let was_refused = |reply: &Response| reply.attempt.outcome.status() == Some(limit.status);
    let refused = seen.replies.iter().filter(|(_, reply)| was_refused(reply)).count() as u64;
    let made = seen.started as u64;
    // What fits into the bucket is not awaited.
    let ideal = (made - refused - u64::from(limit.burst)) * 1000 / per_second;
    let took = u64::try_from(seen.end.since_start().as_millis()).unwrap();
    Limited { longer: took * 100 / ideal - 100, refused: refused * 100 / made }
}

/// Whatever the status of its refusals, and whether it lets requests wait or not.
#[test]
fn a_server_that_limits_the_rate_is_requested_at_its_rate() {
    for (host, latency) in [("http://a.test", 20), ("http://127.0.0.1:8000", 2)] {
        for (pages, per_second, burst, most_refused) in
            [(218, 20, 5, 5), (800, 100, 20, 2), (300, 5, 10, 10), (100, 1, 3, 25)]
        {
            for (status, delays) in [(429, true), (429, false), (503, true), (503, false)] {
                let limit = RateLimit::new(status, per_second, burst, delays);
                let what = format!("{host}: {limit:?}");
                let Limited { longer, refused } = crawl_limited(pages, host, latency * MS, limit);
                assert!(longer <= 25, "{what}: {longer} % longer");
                assert!(refused <= most_refused, "{what}: {refused} % were refused");
            }
        }
    }
}

/// A tenth of the pages is unavailable whenever it is requested: that is no limit.
#[test]
fn pages_that_are_always_unavailable_do_not_slow_down_the_others() {
    let mut web = site(1000, 50 * MS);
    for n in (0..1000).step_by(10) {
        web = web.slow(&format!("http://a.test/{n}"), 50 * MS, Act::Status(503));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.pages.len(), 901);
    let alarms = seen.verdicts.values().filter(|verdict| *verdict == "broken server-error 503");
    assert_eq!(alarms.count(), 100, "{:#?}", seen.verdicts);
    // At sixteen at a time, 3 s.
    let last = seen.pages_at.last().unwrap().since_start();
    assert!(last < 20_000 * MS, "{last:?}");
}
