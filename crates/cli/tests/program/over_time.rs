//! Several runs of a site: compare, sites, trace, and the first steps of a new user.

use rummage_demo::{Scenario, museum, museum_earlier};

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};
use crate::screens::settings;

fn first() -> Scenario {
    let home = page("<a href=/a>a</a><a href=/b>b</a><a href=/x>x</a>");
    site("a.test", &[("/", home), ("/a", page("<a href=/y>y</a>")), ("/b", page(""))])
}

fn second() -> Scenario {
    let home = page("<a href=/a>a</a><a href=/b>b</a><a href=/x>x</a>");
    site("a.test", &[("/", home), ("/a", page("<a href=/y>y</a>")), ("/x", page(""))])
}

/// Two webs, the second a later state of the first, and one store.
struct Twice {
    one: Stage,
    two: Stage,
}

impl Twice {
    fn new() -> Twice {
        Twice { one: Stage::new(&first()), two: Stage::new(&second()) }
    }

    fn store(&self) -> String {
        self.one.path("store.db").display().to_string()
    }

    fn earlier(&self, words: &[&str]) -> Outcome {
        self.one.run(&[words, &["--store", &self.store()]].concat())
    }

    fn later(&self, words: &[&str]) -> Outcome {
        self.two.run(&[words, &["--store", &self.store()]].concat())
    }
}

#[test]
fn newly_broken_links_come_first_and_a_crawl_ends_with_the_counts() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test", "--fail-on", "new"]).ends(1);
    let outcome = both.earlier(&["crawl", "http://a.test", "--fail-on", "new"]).ends(0);
    assert!(
        outcome.out.contains(": 0 newly broken, 0 returned, 0 fixed, 2 still open\n"),
        "{outcome}"
    );
    let outcome = both.later(&["crawl", "http://a.test", "--fail-on", "new"]).ends(1);
    assert!(
        outcome.out.contains(": 1 newly broken, 0 returned, 1 fixed, 1 still open\n"),
        "{outcome}"
    );

    let outcome = both.later(&["compare"]).ends(0);
    let at = |what: &str| outcome.out.find(what).unwrap_or_else(|| panic!("{what} in {outcome}"));
    assert!(
        at("1 newly broken, 0 returned, 1 fixed, 1 still open") < at("\nnewly broken  1\n"),
        "{outcome}"
    );
    assert!(at("http://a.test/b\n") < at("fixed: the target works"), "{outcome}");
    assert!(at("fixed: ") < at("\nstill open"), "{outcome}");
    assert!(outcome.out.contains("1 page new: http://a.test/x"), "{outcome}");
    assert!(outcome.out.contains("1 page gone: http://a.test/b"), "{outcome}");
    both.later(&["compare", "--fail-on", "new"]).ends(1);
    both.later(&["compare", "1", "2", "--fail-on", "new"]).ends(0);
    let older = both.later(&["findings", "--run", "1"]).ends(0);
    assert!(
        older.out.contains("http://a.test/x\n") && !older.out.contains("a.test/b\n"),
        "{older}"
    );
    let new = both.later(&["findings", "--standing", "new", "--format", "jsonl"]).ends(0);
    assert_eq!(new.json().len(), 1);
    assert_eq!(new.json()[0]["target"], "http://a.test/b");

    let trace = both.later(&["trace", "http://a.test/x"]).ends(0);
    assert!(trace.out.contains("over 3 runs") && trace.out.contains("runs 1 to 2, "), "{trace}");
    let trace = both.later(&["trace", "a.test/y", "--source"]).ends(0);
    assert!(trace.out.contains("source, fetched just now"), "{trace}");
    assert!(trace.out.contains("<a href=/y>y</a>"), "{trace}");
}

#[test]
fn invalid_comparisons_are_explained() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    let outcome = both.earlier(&["compare"]).ends(2);
    assert!(outcome.err.contains("a.test has no run before run 1"), "{outcome}");
    let outcome = both.earlier(&["compare", "1", "1"]).ends(2);
    assert!(outcome.err.contains("run 1 cannot be compared with itself"), "{outcome}");
    let outcome = both.earlier(&["compare", "1", "9"]).ends(2);
    assert!(outcome.err.contains("the store contains no run 9"), "{outcome}");
}

#[test]
fn sites_are_listed_and_old_runs_deleted() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    both.later(&["crawl", "http://a.test"]).ends(1);
    let outcome = both.later(&["sites"]).ends(0);
    let row: Vec<&str> = outcome.out.lines().nth(1).unwrap().split_whitespace().collect();
    assert_eq!((row[0], row[1], row[2]), ("a.test", "http://a.test/", "2"), "{outcome}");
    assert_eq!(row[row.len() - 3..], ["3", "2", "1"], "pages, open, new: {outcome}");
    let outcome = both.later(&["sites", "runs"]).ends(0);
    assert_eq!(outcome.out.lines().count(), 3, "{outcome}");
    let outcome = both.later(&["sites", "prune", "--keep", "1", "--dry-run"]).ends(0);
    assert_eq!(outcome.out, "would delete: runs 1\n");
    both.later(&["sites", "prune", "--keep", "1"]).ends(0);
    let outcome = both.later(&["findings", "--run", "1"]).ends(2);
    assert!(outcome.err.contains("the store contains no run 1"), "{outcome}");
    both.later(&["findings"]).ends(0);
    let outcome = both.later(&["sites", "prune", "--keep", "1"]).ends(0);
    assert_eq!(outcome.out, "nothing to delete\n");
}

#[test]
fn rummage_without_arguments_suggests_commands() {
    let both = Twice::new();
    let outcome = both.earlier(&[]).ends(0);
    assert!(outcome.out.contains("rummage crawl www.example.test"), "{outcome}");
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    let outcome = both.earlier(&[]).ends(0);
    for what in ["rummage findings", "rummage crawl http://a.test", "a.test"] {
        assert!(outcome.out.contains(what), "{what} in {outcome}");
    }
    assert!(!outcome.out.contains("rummage compare"), "there is nothing to compare yet: {outcome}");
    both.later(&["crawl", "http://a.test"]).ends(1);
    assert!(both.later(&[]).ends(0).out.contains("rummage compare"));
    let outcome = both.earlier(&["completions", "bash"]).ends(0);
    assert!(outcome.out.contains("_rummage"), "{outcome}");
}

#[test]
fn the_museum_compared_with_some_weeks_earlier() {
    let both = Twice { one: Stage::new(&museum_earlier()), two: Stage::new(&museum()) };
    let words = ["crawl", "www.ashlock-canal.test", "--timeout", "1s", "-q"];
    both.earlier(&words).ends(1);
    // The weeks in between are not simulated: sound URLs are checked again as well.
    let crawl = both.later(&[&words, ["--fresh"].as_slice()].concat()).ends(1);
    let compare = both.later(&["compare"]).ends(0);
    settings().bind(|| insta::assert_snapshot!("compare", compare.out));
    let counts = compare.out.lines().nth(1).unwrap();
    assert!(crawl.out.contains(&format!(": {counts}\n")), "both say {counts}: {crawl}");
    let trace = both.later(&["trace", "/volunteers/rota.html"]).ends(0);
    settings().bind(|| insta::assert_snapshot!("trace_over_time", trace.out));
}

#[test]
fn a_store_holds_several_sites_and_each_is_named() {
    let mut scenario = first();
    scenario.hosts.extend(site("b.test", &[("/", page("<a href=/lost>l</a>"))]).hosts);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", "http://b.test"]).ends(1);
    stage.run(&["crawl", "http://a.test"]).ends(1);
    let head = |words: &[&str]| {
        let outcome = stage.run(words).ends(0);
        outcome.out.lines().next().unwrap().to_owned()
    };
    assert!(head(&["findings"]).contains("a.test  run 2, "), "the last crawl is meant");
    assert!(head(&["findings", "--site", "b.test"]).contains("b.test  run 1, "));
    let file = "[site.bee]\nstart = \"http://b.test\"\n[site.ay]\nstart = \"a.test\"\n";
    std::fs::write(stage.path("rummage.toml"), file).unwrap();
    assert!(head(&["findings", "--site", "bee"]).contains("b.test  run 1, "));
    let outcome = stage.run(&["trace", "/lost", "--site", "bee"]).ends(0);
    assert!(outcome.out.contains("http://b.test/lost"), "{outcome}");
    let outcome = stage.run(&["findings", "--site", "sea"]).ends(2);
    assert!(outcome.err.contains("has no run of sea"), "{outcome}");
    assert!(outcome.err.contains("It has runs of a.test or b.test."), "{outcome}");
    let outcome = stage.run(&["compare", "1", "2"]).ends(2);
    assert!(outcome.err.contains("run 1 is of b.test, but run 2 is of a.test"), "{outcome}");
    let outcome = stage.run(&["sites"]).ends(0);
    let names: Vec<&str> =
        outcome.out.lines().skip(1).filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(names, ["ay", "bee"]);
    std::fs::create_dir(stage.path("bee")).unwrap();
    let outcome = stage.run(&["crawl", "bee"]).ends(2);
    assert!(
        outcome.err.contains("bee is both a site in the settings file and a folder here"),
        "{outcome}"
    );
    let outcome = stage.run(&["crawl", "--site", "beee"]).ends(2);
    assert!(outcome.err.contains("Did you mean bee?"), "{outcome}");
}

#[test]
fn a_json_trace_has_the_evidence_and_the_links() {
    let stage = Stage::new(&first());
    stage.run(&["crawl", "http://a.test"]).ends(1);
    let outcome = stage.run(&["trace", "http://a.test/x", "--format", "json"]).ends(0);
    let list: serde_json::Value = serde_json::from_str(&outcome.out).unwrap();
    let target = &list[0];
    assert_eq!((&target["verdict"], &target["status"]), (&"broken".into(), &404.into()));
    assert_eq!(target["evidence"][0]["address"], "http://a.test/x");
    let attempts = target["evidence"][0]["attempts"].as_array().unwrap();
    assert!(attempts.len() == 2 && attempts.iter().all(|attempt| attempt["status"] == 404));
    assert_eq!(target["links"].as_array().unwrap().len(), 1);
    assert_eq!(target["links"][0]["page"], "http://a.test/");
    let lines = stage.run(&["trace", "http://a.test/x", "--format", "jsonl"]).ends(0).json();
    assert_eq!(lines, target["links"].as_array().unwrap().as_slice());
}

#[test]
fn the_source_is_fetched_again_and_failures_are_reported() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    // `/b` is gone, and the start page still links to it.
    let outcome = both.later(&["trace", "http://a.test/x", "--source"]).ends(0);
    let source = outcome.out.split("source, fetched just now\n").nth(1).unwrap();
    assert!(source.starts_with("  http://a.test/\n    1:"), "{outcome}");
    assert!(source.contains("<a href=/x>x</a>"), "{outcome}");
    let changed = Stage::new(&site("a.test", &[("/", page("nothing here now"))]));
    let store = both.store();
    let words = ["trace", "http://a.test/x", "--source", "--store", &store];
    assert!(changed.run(&words).ends(0).out.contains("no longer links to it"));
    let words = ["trace", "http://a.test/y", "--source", "--store", &store];
    let outcome = changed.run(&words).ends(0);
    assert!(outcome.out.contains("http://a.test/a\n    404\n"), "{outcome}");
}

/// What cron sends by email: nothing, unless there is news.
#[test]
fn a_quiet_crawl_without_news_prints_nothing() {
    let both = Twice::new();
    let first = both.earlier(&["crawl", "http://a.test", "-q"]).ends(1);
    assert!(first.out.contains("broken"), "{first}");
    for words in [&["crawl", "http://a.test", "-q"][..], &["recheck", "-q"]] {
        let again = both.earlier(words).ends(1);
        assert_eq!((again.out.as_str(), again.err.as_str()), ("", ""), "{words:?}");
    }
    let changed = both.later(&["crawl", "http://a.test", "-q"]).ends(1);
    assert!(changed.out.contains("1 newly broken"), "{changed}");
    let asked = ["crawl", "http://a.test", "-q", "--format", "jsonl"];
    assert!(!both.later(&asked).ends(1).out.is_empty(), "rows are always written");
}
