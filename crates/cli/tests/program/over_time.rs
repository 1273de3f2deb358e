//! Several runs of a site: compare, sites, trace, and what a newcomer is told.

use rummage_demo::{Scenario, museum, museum_earlier};

use crate::harness::{Said, Stage};
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

/// Two webs, the second a later state of the first, one store.
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

    fn earlier(&self, words: &[&str]) -> Said {
        self.one.run(&[words, &["--store", &self.store()]].concat())
    }

    fn later(&self, words: &[&str]) -> Said {
        self.two.run(&[words, &["--store", &self.store()]].concat())
    }
}

#[test]
fn what_broke_comes_first_and_a_crawl_ends_with_the_counts() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test", "--fail-on", "new"]).ends(1);
    let said = both.earlier(&["crawl", "http://a.test", "--fail-on", "new"]).ends(0);
    assert!(said.out.contains(": 0 broke, 0 came back, 0 healed, 2 still open\n"), "{said}");
    let said = both.later(&["crawl", "http://a.test", "--fail-on", "new"]).ends(1);
    assert!(said.out.contains(": 1 broke, 0 came back, 1 healed, 1 still open\n"), "{said}");

    let said = both.later(&["compare"]).ends(0);
    let at = |what: &str| said.out.find(what).unwrap_or_else(|| panic!("{what} in {said}"));
    assert!(at("1 broke, 0 came back, 1 healed, 1 still open") < at("\nbroke\n"), "{said}");
    assert!(at("http://a.test/b\n") < at("healed: the link leads where it should"), "{said}");
    assert!(at("healed: ") < at("\nstill open"), "{said}");
    assert!(said.out.contains("1 page is new: http://a.test/x"), "{said}");
    assert!(said.out.contains("1 page is gone: http://a.test/b"), "{said}");
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
    assert!(trace.out.contains("the source, asked just now"), "{trace}");
    assert!(trace.out.contains("<a href=/y>y</a>"), "{trace}");
}

#[test]
fn comparisons_that_make_no_sense_say_why() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    let said = both.earlier(&["compare"]).ends(2);
    assert!(said.err.contains("there is no run of a.test before run 1"), "{said}");
    let said = both.earlier(&["compare", "1", "1"]).ends(2);
    assert!(said.err.contains("run 1 beside itself shows nothing"), "{said}");
    let said = both.earlier(&["compare", "1", "9"]).ends(2);
    assert!(said.err.contains("there is no run 9 in the store"), "{said}");
}

#[test]
fn sites_are_listed_and_old_runs_forgotten() {
    let both = Twice::new();
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    both.later(&["crawl", "http://a.test"]).ends(1);
    let said = both.later(&["sites"]).ends(0);
    let row: Vec<&str> = said.out.lines().nth(1).unwrap().split_whitespace().collect();
    assert_eq!((row[0], row[1], row[2]), ("a.test", "http://a.test/", "2"), "{said}");
    assert_eq!(row[row.len() - 3..], ["3", "2", "1"], "pages, open, new: {said}");
    let said = both.later(&["sites", "runs"]).ends(0);
    assert_eq!(said.out.lines().count(), 3, "{said}");
    let said = both.later(&["sites", "prune", "--keep", "1", "--dry-run"]).ends(0);
    assert_eq!(said.out, "would forget: runs 1\n");
    both.later(&["sites", "prune", "--keep", "1"]).ends(0);
    let said = both.later(&["findings", "--run", "1"]).ends(2);
    assert!(said.err.contains("there is no run 1"), "{said}");
    both.later(&["findings"]).ends(0);
    let said = both.later(&["sites", "prune", "--keep", "1"]).ends(0);
    assert_eq!(said.out, "there is nothing to forget\n");
}

#[test]
fn the_tool_alone_says_what_is_there_and_what_to_type() {
    let both = Twice::new();
    let said = both.earlier(&[]).ends(0);
    assert!(said.out.contains("rummage crawl www.example.test"), "{said}");
    both.earlier(&["crawl", "http://a.test"]).ends(1);
    let said = both.earlier(&[]).ends(0);
    for what in ["rummage findings", "rummage crawl http://a.test", "a.test"] {
        assert!(said.out.contains(what), "{what} in {said}");
    }
    let said = both.earlier(&["completions", "bash"]).ends(0);
    assert!(said.out.contains("_rummage"), "{said}");
}

#[test]
fn the_museum_beside_itself_some_weeks_earlier() {
    let both = Twice { one: Stage::new(&museum_earlier()), two: Stage::new(&museum()) };
    let words = ["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"];
    both.earlier(&words).ends(1);
    let crawl = both.later(&words).ends(1);
    let compare = both.later(&["compare"]).ends(0);
    settings().bind(|| insta::assert_snapshot!("compare", compare.out));
    let counts = compare.out.lines().nth(1).unwrap();
    assert!(crawl.out.contains(&format!(": {counts}\n")), "both say {counts}: {crawl}");
    let trace = both.later(&["trace", "/volunteers/rota.html"]).ends(0);
    settings().bind(|| insta::assert_snapshot!("trace_over_time", trace.out));
}
