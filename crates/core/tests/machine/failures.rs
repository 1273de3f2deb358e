//! Temporary failures are retried before anything is called broken; nothing blocks the run.

use std::time::Duration;

use rummage_core::crawl::{Note, Settings};
use rummage_core::evidence::{AttemptOutcome, DnsFailure, Failure, Method, ResponseHead, Stage};

use crate::web::{Act, Web, page};

const SECOND: Duration = Duration::from_secs(1);

#[test]
fn a_temporary_failure_is_not_a_fault() {
    let restart = |act| Act::Until(20 * SECOND, Box::new(act), Box::new(page(&[])));
    let web = Web::default()
        .on("http://a.test/", page(&["/refused", "/busy", "/reset"]))
        .on("http://a.test/refused", restart(Act::Fail(Failure::Refused)))
        .on("http://a.test/busy", restart(Act::Status(503)))
        .on("http://a.test/reset", restart(Act::Fail(Failure::Reset)));
    let seen = web.crawl(Settings::default());
    for path in ["refused", "busy", "reset"] {
        let url = format!("http://a.test/{path}");
        assert_eq!(seen.verdict(&url), "sound 200");
        // If several fail at once, the first failures may be due to an overloaded server.
        assert!((3..=6).contains(&seen.times_requested(&url)), "{url}");
    }
    assert_eq!(seen.pages.len(), 4);
}

#[test]
fn a_lasting_failure_is_reported_after_three_attempts_with_growing_gaps() {
    let web = Web::default()
        .on("http://a.test/", page(&["/down"]))
        .on("http://a.test/down", Act::Fail(Failure::Refused));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/down"), "broken connection-refused");
    let requested: Vec<Duration> = seen
        .requests
        .iter()
        .filter(|(_, _, url)| url.ends_with("/down"))
        .map(|(at, ..)| at.since_start())
        .collect();
    let gaps: Vec<u64> = requested.windows(2).map(|pair| (pair[1] - pair[0]).as_secs()).collect();
    assert_eq!(gaps, [5, 30]);
}

#[test]
fn missing_urls_are_confirmed_near_the_end() {
    let flicker = Act::Until(SECOND, Box::new(Act::Status(404)), Box::new(page(&["/found"])));
    let web = Web::default()
        .on("http://a.test/", page(&["/missing", "/flicker", "/slow"]))
        .on("http://a.test/flicker", flicker)
        .on("http://a.test/found", page(&[]))
        .slow("http://a.test/slow", 3 * SECOND, page(&[]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/missing"), "broken not-found 404");
    assert_eq!(seen.times_requested("http://a.test/missing"), 2);
    assert_eq!(seen.verdict("http://a.test/flicker"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/found"), "sound 200");
}

#[test]
fn a_sample_of_many_missing_urls_is_confirmed() {
    let links: Vec<String> = (0..80).map(|n| format!("/gone{n}")).collect();
    let links: Vec<&str> = links.iter().map(String::as_str).collect();
    let seen = Web::default().on("http://a.test/", page(&links)).crawl(Settings::default());
    assert_eq!(seen.requests.len(), 1 + 80 + 50);
    assert!(
        links.iter().all(|link| {
            seen.verdict(&format!("http://a.test{link}")) == "broken not-found 404"
        })
    );
}

#[test]
fn a_nonexistent_host_name_is_confirmed() {
    let web = Web::default()
        .on("http://a.test/", page(&["http://gone.test/x"]))
        .on("http://gone.test/x", Act::Fail(Failure::Dns(DnsFailure::NoSuchName)));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://gone.test/x"), "broken nxdomain");
    assert_eq!(seen.times_requested("http://gone.test/x"), 2);
}

#[test]
fn a_hanging_page_costs_its_own_time_only() {
    let links: Vec<String> = (0..100).map(|n| format!("/p{n}")).collect();
    let mut links: Vec<&str> = links.iter().map(String::as_str).collect();
    links.insert(0, "/hang");
    let mut web =
        Web::default().on("http://a.test/", page(&links)).on("http://a.test/hang", Act::Hang);
    for link in &links[1..] {
        web = web.on(&format!("http://a.test{link}"), page(&[]));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/hang"), "broken timeout");
    let last = seen.pages_at.last().unwrap();
    assert!(last.since_start() < 20 * SECOND, "the others are read meanwhile");
    // 20 s, a gap of 5 s, 40 s, a gap of 30 s, 40 s; then a request for the canary.
    assert_eq!(seen.end.since_start().as_secs(), 135);
}

#[test]
fn sixty_four_dead_hosts_do_not_stall_a_working_site() {
    let dead: Vec<String> = (0..64).map(|n| format!("http://dead{n}.test/")).collect();
    let mut links: Vec<&str> = dead.iter().map(String::as_str).collect();
    links.push("/p0");
    let mut web = Web::default().on("http://a.test/", page(&links));
    for host in &dead {
        web = web.on(host, Act::Hang);
    }
    for n in 0..200 {
        let next = format!("/p{}", n + 1);
        web = web.on(&format!("http://a.test/p{n}"), page(&[&next]));
    }
    let seen = web.crawl(Settings::default());
    let last_page = seen.pages_at.last().unwrap().since_start();
    assert!(last_page < 10 * SECOND);
    assert!(seen.end.since_start() < last_page + 200 * SECOND, "{:?}", seen.end);
    assert_eq!(seen.verdict("http://dead63.test/"), "broken timeout");
}

#[test]
fn head_is_used_for_images_and_failures_are_repeated_with_get() {
    let html = "<img src=good><img src=lies><img src=down><a href=both></a><img src=both>";
    let by = |head, get| Act::ByMethod(Box::new(head), Box::new(get));
    let web = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://a.test/good", Act::File("image/png"))
        .on("http://a.test/lies", by(Act::Status(405), Act::File("image/png")))
        .on("http://a.test/down", by(Act::Hang, Act::File("image/png")))
        .on("http://a.test/both", Act::File("image/png"));
    let seen = web.crawl(Settings::default());
    let (head, get) = (Method::Head, Method::Get);
    assert_eq!(seen.methods("http://a.test/good"), [head, get], "it has to prove itself");
    assert_eq!(seen.methods("http://a.test/lies"), [head, get]);
    assert_eq!(seen.methods("http://a.test/down"), [head, get]);
    assert_eq!(seen.methods("http://a.test/both"), [get]);
    assert!(seen.verdicts.values().all(|verdict| verdict == "sound 200"));
}

#[test]
fn a_missing_anchor_is_reported_in_any_order() {
    let target = "<h2 id=here></h2><a name='there'></a><a href='#here'></a><a href='#nowhere'></a>";
    let web = Web::default()
        .on("http://a.test/", page(&["/t#here", "/t#away", "/moved#there", "/moved#gone", "/late"]))
        .on("http://a.test/t", Act::Page(target.into()))
        .on("http://a.test/moved", Act::Redirect(301, "/t".into()))
        .slow("http://a.test/late", SECOND, page(&["/t#late", "/t#/route", "/own#x"]))
        .on("http://a.test/own", Act::Redirect(302, "/t#there".into()));
    let mut missing = web.crawl(Settings::default()).missing;
    missing.sort();
    assert_eq!(
        missing,
        [
            "http://a.test/moved#gone",
            "http://a.test/t#/route (script)",
            "http://a.test/t#away",
            "http://a.test/t#late",
            "http://a.test/t#nowhere",
        ]
    );
}

#[test]
fn a_start_url_that_failed_is_requested_again_as_a_redirect_target() {
    let failed = Act::Fail(Failure::Timeout(Stage::FirstByte));
    let web = Web::default()
        .on("https://a.test/", Act::Times(1, Box::new(failed), Box::new(page(&["/gone"]))))
        .on("http://a.test/", Act::Redirect(301, "https://a.test/".into()));
    let seen = web.crawl_from(Settings::default(), &["https://a.test/", "http://a.test/"]);
    assert_eq!(seen.crawl.start_problem(), None);
    assert_eq!(seen.verdict("https://a.test/gone"), "broken not-found 404");
}

/// Every third request is reset, or fails: no page is called broken because of it, and one that
/// always fails is not called sound.
#[test]
fn a_server_that_fails_at_random_makes_nothing_broken() {
    let links: Vec<String> = (0..300).map(|number| format!("/p{number}")).collect();
    let links: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&links));
    for link in &links {
        web = web.on(&format!("http://a.test{link}"), page(&[]));
    }
    let error = ResponseHead { status: 500, ..ResponseHead::default() };
    let mut by_chance = 0;
    for outcome in
        [AttemptOutcome::Failure(Failure::Reset), AttemptOutcome::Response(error.clone())]
    {
        for seed in 1..6 {
            let shaky = web.clone().shaky(seed, outcome.clone());
            let seen = shaky.on("http://a.test/p7", Act::Status(500)).crawl(Settings::default());
            let broken: Vec<_> = seen
                .verdicts
                .iter()
                .filter(|(url, verdict)| verdict.starts_with("broken") && !url.ends_with("/p7"))
                .collect();
            assert!(broken.is_empty(), "{broken:?}");
            let verdict = seen.verdict("http://a.test/p7");
            assert!(verdict.starts_with("doubtful") || verdict.starts_with("broken"), "{verdict}");
            // The note is there if, and only if, something is doubtful for that reason.
            let is_unsteady =
                |note: &Note| matches!(note, Note::Unsteady { failed, .. } if *failed > 50);
            let unsteady = seen.notes.iter().filter(|(_, note)| is_unsteady(note)).count();
            let has_doubtful = seen.verdicts.values().any(|it| it.starts_with("doubtful"));
            assert_eq!(unsteady, usize::from(has_doubtful), "{:?}", seen.notes);
            by_chance += unsteady;
            let doubtful = seen.verdicts.values().filter(|it| it.starts_with("doubtful")).count();
            assert!(doubtful <= 4, "{doubtful}");
        }
    }
    assert_eq!(by_chance, 10, "a page that always fails may fail by chance, in every run");
}

#[test]
fn one_body_that_never_ends_is_a_broken_link() {
    let web =
        Web::default().on("http://a.test/", page(&["/live"])).on("http://a.test/live", Act::Drip);
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/live"), "broken timeout");
    assert_eq!(seen.times_requested("http://a.test/live"), 2);
}

/// Pages whose bodies never end are given up soon, and the others are checked.
#[test]
fn bodies_that_never_end_cost_a_few_time_outs_in_all() {
    let slow: Vec<String> = (0..300).map(|number| format!("http://b.test/{number}")).collect();
    let links: Vec<&str> = slow.iter().map(String::as_str).chain(["/own"]).collect();
    let mut web =
        Web::default().on("http://a.test/", page(&links)).on("http://a.test/own", page(&[]));
    for url in &slow {
        web = web.on(url, Act::Drip);
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/own"), "sound 200");
    let doubtful = seen.verdicts.values().filter(|it| *it == "doubtful timeout").count();
    assert!(doubtful > 290, "{doubtful}");
    let took = seen.end.since_start();
    assert!(took < Duration::from_secs(10 * 20), "{took:?}");
}

/// Someone waits for the first page. A server that is busy or restarting gets its time.
#[test]
fn a_start_without_a_server_fails_within_three_seconds() {
    use rummage_core::evidence::DnsFailure;
    let end = |act: fn() -> Act| {
        let seen = Web::default().on("http://a.test/", act()).crawl(Settings::default());
        assert!(seen.crawl.start_problem().is_some());
        seen.end.since_start()
    };
    assert!(end(|| Act::Fail(Failure::Refused)) < 3 * SECOND);
    assert!(end(|| Act::Fail(Failure::Dns(DnsFailure::Silence))) < 3 * SECOND);
    assert!(end(|| Act::Status(502)) > 20 * SECOND);
}
