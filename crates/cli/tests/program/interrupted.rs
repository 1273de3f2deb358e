//! Ctrl-C, kill -9 and a second crawl: no results are lost.

#![cfg(unix)]

use std::io::Read as _;

use rummage_demo::{Act, Scenario, museum};

use crate::harness::{Stage, without_times};
use crate::options::{page, site};
use crate::running::{Running, wait_until};

/// A site of sixty pages, each with its own broken link.
fn long_site() -> Scenario {
    site_from("<a href=/p0>first</a>")
}

/// The same, with a page that keeps the crawl from ending.
fn hanging_site() -> Scenario {
    site_from("<a href=/hang>hang</a><a href=/p0>first</a>")
}

fn site_from(home: &str) -> Scenario {
    let mut paths = vec![("/hang".to_owned(), Act::Silent)];
    for number in 0..60 {
        let next = number + 1;
        let html = format!("<a href=/p{next}>next</a><a href=/gone{number}>gone</a>");
        paths.push((format!("/p{number}"), page(&html)));
    }
    paths.push(("/p60".to_owned(), page("")));
    paths.push(("/".to_owned(), page(home)));
    let paths: Vec<(&str, Act)> = paths.iter().map(|(p, a)| (p.as_str(), a.clone())).collect();
    site("a.test", &paths)
}

/// Long enough to kill it while one page hangs.
const WORDS: [&str; 5] = ["crawl", "http://a.test", "--timeout", "1s", "-v"];
/// The same with a page that times out soon.
const QUICK: [&str; 4] = ["crawl", "http://a.test", "--timeout", "200ms"];
const RESUME: [&str; 4] = ["crawl", "--resume", "--timeout", "200ms"];

/// Starts a crawl and waits until it has reported the last page.
fn start_and_wait(stage: &Stage) -> Running {
    let mut crawl = Running::start(&WORDS, &mut stage.command(&WORDS));
    crawl.until("response for the last page", |line| line.contains("/p60 200"));
    crawl
}

/// The findings without times and run numbers.
fn findings(stage: &Stage) -> Vec<serde_json::Value> {
    let lines = stage.run(&["findings", "--all", "--format", "jsonl"]).ends(0).json();
    without_times(lines, &["first_seen"])
}

fn undisturbed(scenario: &Scenario) -> Vec<serde_json::Value> {
    let stage = Stage::new(scenario);
    stage.run(&QUICK).ends(1);
    findings(&stage)
}

#[test]
fn ctrl_c_shows_results_so_far_and_the_run_can_be_continued() {
    let stage = Stage::new(&hanging_site());
    let crawl = start_and_wait(&stage);
    crawl.signal("-INT");
    let stopped = crawl.end().ends(3);
    assert!(stopped.out.contains("This run is unfinished"), "{stopped}");
    assert!(stopped.out.contains("on 62 pages"), "{stopped}");
    assert!(stopped.out.contains("Continue it with: rummage crawl --resume"), "{stopped}");
    assert_eq!(stage.run(&["findings", "-v"]).ends(0).out, stopped.out);

    let before = stage.web.requests().len();
    let resumed = stage.run(&RESUME).ends(1);
    let message = "continuing run 1 of a.test; 62 pages parsed so far\n";
    assert!(resumed.err.starts_with(message), "{resumed}");
    assert_eq!(findings(&stage), undisturbed(&hanging_site()));
    let again: Vec<String> =
        stage.web.requests()[before..].iter().map(|a| a.path.clone()).collect();
    assert!(
        !again.iter().any(|path| path.starts_with("/p")),
        "pages are not read again: {again:?}"
    );
    let outcome = stage.run(&["crawl", "--resume"]).ends(2);
    assert!(outcome.err.contains("the store contains no unfinished run"), "{outcome}");
}

/// Its output is not read, so that the program waits for that.
#[test]
fn ctrl_c_ends_a_program_that_still_writes_its_results() {
    let link = |number| format!("<a href=/{number}{}>gone</a>", "x".repeat(400));
    let links: String = (0..300).map(link).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let words = ["recheck", "--format", "jsonl"];
    let (mut output, input) = std::io::pipe().unwrap();
    let recheck = Running::start_into(&words, &mut stage.command(&words), input);
    output.read_exact(&mut [0]).unwrap();
    recheck.signal("-INT");
    recheck.end().ends(3);
    let rows = stage.run(&["findings", "--format", "jsonl"]).ends(0).json();
    assert_eq!(rows.len(), 300);
}

/// The dead links are requested a second time at the end, which this run does not reach.
#[test]
fn missing_urls_are_doubtful_until_they_are_confirmed() {
    let links = "<a href=/gone>g</a> <a href=/lost>l</a> <a href=/last>z</a>";
    let stage = Stage::new(&site("a.test", &[("/", page(links)), ("/last", Act::Silent)]));
    let words = ["crawl", "http://a.test", "-v"];
    let mut crawl = Running::start(&words, &mut stage.command(&words));
    let mut missing = 0;
    crawl.until("responses for the dead links", |line| {
        missing += u32::from(line.contains("/gone 404") || line.contains("/lost 404"));
        missing == 2
    });
    let to_confirm = "doubtful  404 Not Found, to be confirmed\n  http://a.test/";
    wait_until("stored results", || {
        stage.run(&["findings"]).ends(0).out.matches(to_confirm).count() == 2
    });
    crawl.signal("-INT");
    let stopped = crawl.end().ends(3);
    assert_eq!(stopped.out.matches(to_confirm).count(), 2, "{stopped}");
    assert!(stopped.out.contains("\n0 broken, 2 doubtful,"), "{stopped}");
    let resumed = stage.run(&["crawl", "--resume", "--timeout", "200ms"]).ends(1);
    assert!(resumed.out.contains("\n3 broken, 0 doubtful,"), "{resumed}");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(!sites.out.contains("fixed"), "{sites}");
}

#[test]
fn a_killed_crawl_continues_to_the_same_end() {
    let stage = Stage::new(&hanging_site());
    let crawl = start_and_wait(&stage);
    // Results are stored within a second, and can be read meanwhile.
    wait_until("stored pages", || stage.run(&["findings"]).ends(0).out.contains("on 62 pages"));
    let process = format!("(pid {})\n", crawl.id());
    let outcome = stage.run(&["findings"]).ends(0);
    assert!(outcome.out.contains("This run is in progress since "), "{outcome}");
    assert!(outcome.out.contains(&process), "{outcome}");
    drop(crawl);
    let outcome = stage.run(&["findings"]).ends(0);
    assert!(outcome.out.contains("This run was killed: "), "{outcome}");
    stage.run(&RESUME).ends(1);
    assert_eq!(findings(&stage), undisturbed(&hanging_site()));
    // A later run that is killed says nothing about what it has not checked.
    drop(start_and_wait(&stage));
    let outcome = stage.run(&["findings"]).ends(0);
    assert!(outcome.out.contains("run 2, ") && !outcome.out.contains("still open"), "{outcome}");
}

/// Kills a crawl as soon as it has reported this many requests, then continues it, or starts
/// again if nothing was stored yet; returns the final findings.
fn killed_after(requests: usize) -> Vec<serde_json::Value> {
    let stage = Stage::new(&long_site());
    let mut crawl = Running::start(&WORDS, &mut stage.command(&WORDS));
    let mut reported = 0;
    crawl.until_or_end("further request", |line| {
        reported += usize::from(line.starts_with("GET "));
        reported == requests
    });
    drop(crawl);
    let resumed = stage.run(&["crawl", "--resume"]);
    match resumed.code {
        Some(1) => {}
        // The start had not been stored, or everything was done before the kill.
        Some(2 | 4) if reported < 60 => drop(stage.run(&WORDS).ends(1)),
        Some(2) => assert!(resumed.err.contains("no unfinished run"), "{resumed}"),
        _ => panic!("after {reported}: {resumed}"),
    }
    findings(&stage)
}

#[test]
fn a_crawl_killed_at_any_request_continues_to_the_same_end() {
    let expected = undisturbed(&long_site());
    let end = 150;
    // Thirty moments from a seed, spread over the whole crawl.
    let moments: Vec<usize> = (0..30).map(|n| 1 + (n * 7919 + 13) % end).collect();
    std::thread::scope(|scope| {
        for part in moments.chunks(8) {
            let expected = &expected;
            scope.spawn(move || {
                for moment in part {
                    assert_eq!(&killed_after(*moment), expected, "killed after {moment} requests");
                }
            });
        }
    });
}

#[test]
fn a_second_crawl_does_not_write_into_the_first() {
    let stage = Stage::new(&hanging_site());
    let crawl = start_and_wait(&stage);
    let outcome = stage.run(&WORDS).ends(4);
    assert!(outcome.err.contains("another crawl is writing to the store"), "{outcome}");
    stage.run(&["findings"]).ends(0);
    drop(crawl);
}

#[test]
fn a_new_run_mentions_an_unfinished_one_and_loses_nothing() {
    let stage = Stage::new(&hanging_site());
    let crawl = start_and_wait(&stage);
    crawl.signal("-INT");
    crawl.end().ends(3);
    let outcome = stage.run(&["crawl", "http://a.test/p59", "--max-pages", "1"]).ends(0);
    assert!(outcome.err.contains("run 1 is unfinished; this is a new run"), "{outcome}");
    let outcome = stage.run(&RESUME).ends(1);
    assert!(outcome.out.contains("run 1, ") && outcome.out.contains("on 62 pages"), "{outcome}");
}

#[test]
fn a_continued_run_keeps_its_settings_and_they_can_be_changed() {
    let stage = Stage::new(&museum());
    let words = ["crawl", "www.ashlock-canal.test", "-v", "--externals", "note"];
    let mut crawl = Running::start(&words, &mut stage.command(&words));
    crawl.until("request for the photographs", |line| line.contains("/photographs/"));
    crawl.signal("-TERM");
    crawl.end().ends(3);
    let outcome = stage.run(&["crawl", "--resume", "--timeout", "300ms"]).ends(1);
    assert!(outcome.out.contains("external"), "{outcome}");
}

#[test]
fn a_stopped_probe_continues_with_the_lists_that_it_was_given() {
    let paths = [("/", page("")), ("/fine", page("")), ("/hangs", Act::Silent)];
    let stage = Stage::new(&site("a.test", &paths));
    let list = "http://a.test/fine\nhttp://a.test/gone\nhttp://a.test/hangs\n";
    std::fs::write(stage.path("list.txt"), list).unwrap();
    let words = ["probe", "list.txt", "http://a.test/", "-v"];
    let mut probe = Running::start(&words, &mut stage.command(&words));
    probe.until("a response", |line| line.contains("/gone 404"));
    probe.signal("-INT");
    let stopped = probe.end().ends(3);
    assert!(stopped.out.contains("Continue it with: rummage probe --resume"), "{stopped}");
    // The list is not read again: nobody has it any more.
    std::fs::remove_file(stage.path("list.txt")).unwrap();
    let before = stage.web.requests().len();
    let resumed = stage.run(&["probe", "--resume", "--timeout", "200ms"]).ends(1);
    assert!(resumed.out.contains("Checked 4 entries with 4 targets\n"), "{resumed}");
    assert!(resumed.out.contains("\n2 broken, 0 doubtful, 0 moved, 2 sound\n"), "{resumed}");
    let again: Vec<String> =
        stage.web.requests()[before..].iter().map(|request| request.path.clone()).collect();
    assert!(!again.contains(&"/fine".to_owned()), "it is not requested again: {again:?}");
    let outcome = stage.run(&["probe", "--resume"]).ends(2);
    assert!(outcome.err.contains("the store contains no unfinished run"), "{outcome}");
    stage.run(&["probe", "--resume", "http://a.test/"]).ends(2);
}

#[test]
fn a_stopped_check_of_a_page_continues_with_that_page() {
    let links = "<a href=/fine>f</a><a href=/gone>g</a><a href=/hangs>h</a>";
    let paths = [
        ("/", page("<a href=/news>n</a><a href=/other>o</a>")),
        ("/news", page(links)),
        ("/fine", page("")),
        ("/hangs", Act::Silent),
        ("/other", page("")),
    ];
    for crawled_before in [false, true] {
        let stage = Stage::new(&site("a.test", &paths));
        if crawled_before {
            stage.run(&["crawl", "http://a.test/", "--timeout", "200ms"]).ends(1);
        }
        let words = ["page", "http://a.test/news", "-v", "--timeout", "20s"];
        let mut check = Running::start(&words, &mut stage.command(&words));
        check.until("a response", |line| line.contains("/gone 404"));
        check.signal("-INT");
        let stopped = check.end().ends(3);
        assert!(stopped.err.contains("Continue it with: rummage page --resume"), "{stopped}");
        let before = stage.web.requests().len();
        let resumed = stage.run(&["page", "--resume", "--timeout", "200ms"]).ends(1);
        assert!(resumed.out.contains("http://a.test/gone"), "{resumed}");
        assert!(resumed.out.contains("http://a.test/hangs"), "{resumed}");
        let requests = stage.web.requests();
        let again: Vec<&str> =
            requests[before..].iter().map(|request| request.path.as_str()).collect();
        // Only what is missing is confirmed, and only that page is checked.
        assert!(!again.contains(&"/other") && !again.contains(&"/robots.txt"), "{again:?}");
        let was_fine = stopped.err.contains("/fine 200");
        assert!(!(was_fine && again.contains(&"/fine")), "{again:?} {stopped}");
        let outcome = stage.run(&["page", "--resume"]).ends(2);
        assert!(outcome.err.contains("the store contains no unfinished run"), "{outcome}");
        stage.run(&["page", "--resume", "http://a.test/news"]).ends(2);
    }
}
