//! Baselines: what is known already does not fail a build.

use std::fs;

use crate::harness::Stage;
use crate::options::{page, site};

fn crawled() -> Stage {
    let links = "<a href=/one>1</a><a href=/two#x>2</a><a href=http://b.test/>b</a>";
    let stage = Stage::new(&site("a.test", &[("/", page(links)), ("/two", page(""))]));
    stage.run(&["crawl", "http://a.test", "-q", "--externals", "note"]).ends(1);
    stage
}

#[test]
fn a_baseline_is_the_sorted_list_of_what_is_broken() {
    let stage = crawled();
    let outcome = stage.run(&["report", "-o", "known.baseline"]).ends(0);
    assert_eq!(outcome.err.lines().last(), Some("2 targets in known.baseline"), "{outcome}");
    let text = fs::read_to_string(stage.path("known.baseline")).unwrap();
    let lines: Vec<&str> = text.lines().skip(1).collect();
    assert_eq!(lines, ["broken http://a.test/one", "broken http://a.test/two#x"]);
    for words in [
        &["findings", "--baseline", "known.baseline"][..],
        &["report", "-o", "r.csv", "--baseline", "known.baseline"],
        &["crawl", "http://a.test", "--externals", "note", "--baseline", "known.baseline"],
    ] {
        let outcome = stage.run(words).ends(0);
        let expected =
            "compared with known.baseline: 0 targets are newly broken or doubtful, 0 fixed";
        assert!(outcome.err.contains(expected), "{outcome}");
    }
}

#[test]
fn what_a_baseline_does_not_have_fails() {
    let stage = crawled();
    let known = "# by hand\n\ndoubtful http://a.test/one\nbroken http://a.test/gone-by-now\n";
    fs::write(stage.path("known.baseline"), known).unwrap();
    let outcome = stage.run(&["findings", "-q", "--baseline", "known.baseline"]).ends(1);
    assert_eq!(
        outcome.err,
        "compared with known.baseline: 2 targets are newly broken or doubtful, 1 fixed\n  \
         broken  http://a.test/one\n  broken  http://a.test/two#x\n"
    );
    // A waived target is known without a baseline.
    stage.run(&["waive", "http://a.test/one", "--reason", "known"]).ends(0);
    let outcome = stage.run(&["findings", "-q", "--baseline", "known.baseline"]).ends(1);
    assert!(!outcome.err.contains("a.test/one"), "{outcome}");
}

#[test]
fn a_baseline_that_cannot_be_read_is_an_error_before_any_request() {
    let stage = crawled();
    fs::write(stage.path("wrong.baseline"), "http://a.test/one\n").unwrap();
    let requests = stage.web.requests().len();
    for (words, error) in [
        (&["crawl", "http://a.test", "--baseline", "none.baseline"][..], "none.baseline"),
        (&["crawl", "http://a.test", "--baseline", "wrong.baseline"], "line 1 has no verdict"),
        (&["findings", "--baseline", "x", "--fail-on", "new"], "cannot be used with"),
    ] {
        let outcome = stage.run(words).ends(2);
        assert!(outcome.err.contains(error), "{error} in {outcome}");
    }
    assert_eq!(stage.web.requests().len(), requests);
}
