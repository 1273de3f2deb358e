//! Rechecks of findings: fixed, removed, unchanged.

use std::collections::BTreeSet;

use rummage_demo::{Act, Scenario, museum};
use serde_json::Value;

use crate::harness::{Outcome, Stage, without_times};
use crate::options::{page, site};

/// The links of a run, without the times of the checks.
fn links(stage: &Stage) -> Vec<Value> {
    let all = ["findings", "--all", "--format", "jsonl"];
    without_times(stage.run(&all).ends(0).json(), &["standing"])
}

/// The URLs that were requested, according to `-v`.
fn requests(outcome: &Outcome) -> BTreeSet<String> {
    let requests = outcome.err.lines().filter(|line| line.starts_with("GET "));
    requests.map(|line| line.split(' ').nth(1).unwrap().to_owned()).collect()
}

#[test]
fn a_recheck_of_unchanged_findings_changes_nothing_and_makes_only_necessary_requests() {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "1s"]).ends(1);
    let before = links(&stage);
    for (words, most) in [
        (vec!["--cause", "not-found"], 110),
        (vec!["http://boats.hollin-wharf.test/hire/punts"], 6),
        (vec!["--host", "*.westshire.test", "--verdict", "broken,doubtful"], 20),
        // What a recheck reuses, the next one reuses too.
        (vec!["--cause", "not-found"], 110),
    ] {
        let words = [&["recheck", "-v"], words.as_slice()].concat();
        let outcome = stage.run(&words).ends(1);
        assert!(outcome.out.contains(": 0 fixed, 0 worse, 0 changed"), "{outcome}");
        assert!(
            outcome.out.contains("0 newly broken, 0 returned, 0 fixed, 65 still open"),
            "{outcome}"
        );
        let requests = requests(&outcome);
        assert!(requests.len() <= most, "{} requested: {outcome}", requests.len());
        assert!(!outcome.err.contains("HEAD "), "{outcome}");
        assert_eq!(links(&stage), before, "{words:?}");
    }
    let trace = stage.run(&["trace", "https://www.ashlock-canal.test/volunteers/rota.html"]);
    assert!(trace.out.contains("over 5 runs"), "{trace}");
}

/// A page with three broken links, and others.
fn worn() -> Scenario {
    let home = "<a href=/page>p</a><a href=/well>w</a><a href=/other>o</a>";
    let links = "<a href=/back>b</a><a href=/out>o</a><a href=/still>s</a>";
    site("a.test", &[("/", page(home)), ("/page", page(links)), ("/well", page(""))])
}

/// The same, with one link working again, one removed, and a new one.
fn mended() -> Scenario {
    let home = "<a href=/page>p</a><a href=/well>w</a><a href=/other>o</a>";
    let links = "<a href=/back>b</a><a href=/still>s</a><a href=/fresh>f</a>";
    let paths = [
        ("/", page(home)),
        ("/page", page(links)),
        ("/back", page("")),
        ("/well", Act::status(500)),
    ];
    site("a.test", &paths)
}

#[test]
fn working_and_removed_links_are_fixed_and_the_rest_is_open() {
    let (one, two) = (Stage::new(&worn()), Stage::new(&mended()));
    let store = one.path("store.db").display().to_string();
    one.run(&["crawl", "http://a.test", "--store", &store]).ends(1);
    let recheck = ["recheck", "--page", "/page", "-v", "--store", &store, "--timeout", "200ms"];
    let outcome = two.run(&recheck).ends(1);
    let tail = outcome.out.split_once("\n\n").expect("a head, then the targets").1;
    insta::assert_snapshot!(tail, @"
    fixed     http://a.test/back
              was broken, 404 Not Found; is sound, 200 OK
    fixed     http://a.test/out
              was broken, 404 Not Found; the 1 link to it is gone
    unchanged http://a.test/still
              still broken, 404 Not Found
    ");
    let urls: Vec<String> = requests(&outcome).into_iter().collect();
    let own = ["", "back", "fresh", "page", "still"];
    let unchecked = ["http://a.test/other", "http://a.test/well", "http://a.test/out"];
    assert!(unchecked.iter().all(|url| !urls.contains(&(*url).to_owned())), "{outcome}");
    assert!(own.iter().all(|name| urls.contains(&format!("http://a.test/{name}"))), "{outcome}");
    assert!(outcome.out.contains("1 newly broken, 0 returned, 2 fixed, 2 still open"), "{outcome}");

    let jsonl = ["recheck", "http://a.test/back", "/still", "--format", "jsonl", "--store", &store];
    let rows = two.run(&jsonl).ends(1).json();
    assert_eq!(rows.len(), 2);
    assert_eq!(rows[0]["target"], "http://a.test/back");
    assert_eq!(
        (&rows[0]["before"]["verdict"], &rows[0]["links_after"]),
        (&"sound".into(), &1.into())
    );
    assert_eq!(rows[1]["after"]["cause"], "not-found");
    let both = ["recheck", "/back", "/still", "--cause", "not-found", "--store", &store];
    let outcome = two.run(&both).ends(1);
    assert!(outcome.out.contains("1 target rechecked"), "a selection narrows names: {outcome}");
    let well = two.run(&["recheck", "a.test/well", "--store", &store, "--fail-on", "new"]).ends(1);
    assert!(well.out.contains("1 worse"), "{well}");
}

#[test]
fn a_missing_anchor_is_rechecked_by_its_fragment() {
    let scenario = |id: &str| {
        let home = page("<a href=/page#there>t</a><a href=/page>p</a>");
        site("a.test", &[("/", home), ("/page", page(&format!("<p id={id}>p</p>")))])
    };
    let (one, two) = (Stage::new(&scenario("here")), Stage::new(&scenario("there")));
    let store = one.path("store.db").display().to_string();
    one.run(&["crawl", "http://a.test", "--store", &store]).ends(1);
    let same = one.run(&["recheck", "/page", "--store", &store]).ends(1);
    assert!(same.out.contains("still broken, no such anchor on the page"), "{same}");
    let healed = two.run(&["recheck", "--cause", "no-such-fragment", "--store", &store]).ends(0);
    assert!(healed.out.contains("1 fixed, 0 worse"), "{healed}");
    assert!(healed.out.contains("is sound, 200 OK"), "{healed}");
}

#[test]
fn a_recheck_explains_what_it_cannot_do() {
    let stage = Stage::new(&worn());
    let none = stage.run(&["recheck"]).ends(4);
    assert!(none.err.contains("no store at"), "{none}");
    stage.run(&["crawl", "http://a.test"]).ends(1);
    let unknown = stage.run(&["recheck", "nowhere"]).ends(2);
    insta::assert_snapshot!(unknown.err, @r#"
    error: run 1 has no URL with "nowhere" in it
      Give a URL, or part of one, from: rummage findings
    "#);
    let nothing = stage.run(&["recheck", "--cause", "timeout"]).ends(0);
    assert_eq!(
        (nothing.out.as_str(), nothing.err.as_str()),
        ("", "nothing matches; nothing was checked\n")
    );
    let gone = Stage::new(&site("b.test", &[("/", page(""))]));
    let store = stage.path("store.db").display().to_string();
    let outcome = gone.run(&["recheck", "--store", &store]).ends(4);
    assert!(outcome.err.contains("cannot fetch the start page http://a.test/"), "{outcome}");
    assert_eq!(stage.run(&["sites", "runs"]).ends(0).out.lines().count(), 2, "no run is left");
}

/// Both read the run before while they write their own.
#[test]
fn the_file_of_a_store_alone_has_the_results_of_a_recheck_and_of_a_page() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/gone>gone</a>"))]));
    stage.run(&["crawl", "http://a.test"]).ends(1);
    let copy = stage.path("copy.db").display().to_string();
    for (words, count) in [(&["recheck"][..], "  2  "), (&["page", "http://a.test/"], "  3  ")] {
        stage.run(words).ends(1);
        std::fs::copy(stage.path("store.db"), &copy).unwrap();
        let copied = stage.run(&["sites", "--store", &copy]).ends(0);
        assert!(copied.out.contains(count), "{words:?}: {copied}");
    }
}
