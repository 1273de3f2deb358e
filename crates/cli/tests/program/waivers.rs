//! Waived findings: counted separately, never lost, open again when the time has come.

use std::fs;

use rummage_demo::{Act, Scenario};

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};

/// Two broken links on a page, one of them in a menu, and one that is refused.
fn worn(refusal: u16) -> Scenario {
    let menu = "<footer><a href=/rota>rota</a></footer>";
    let home = page(&format!("<a href=/old>o</a><a href=http://b.test/in>b</a>{menu}"));
    let mut scenario = site("a.test", &[("/", home), ("/two", page(menu))]);
    let other = site("b.test", &[("/in", Act::status(refusal)), ("/", page(""))]);
    scenario.hosts.extend(other.hosts);
    scenario
}

fn crawl(stage: &Stage) {
    stage.run(&["crawl", "http://a.test", "--timeout", "500ms", "-q"]).ends(1);
}

fn verdicts(outcome: &Outcome) -> &str {
    outcome
        .out
        .lines()
        .find(|line| line.contains(" broken, "))
        .unwrap_or_else(|| panic!("{outcome}"))
}

#[test]
fn waived_findings_are_counted_separately_and_open_again_when_lifted() {
    let stage = Stage::new(&worn(403));
    crawl(&stage);
    let dry = stage.run(&["waive", "/rota", "--dry-run"]).ends(0);
    assert!(dry.out.starts_with("would waive 1 target on 1 link, as --leave"), "{dry}");
    assert!(!stage.path("waivers.toml").exists(), "nothing is written");
    let words = ["waive", "/rota", "--reason", "comes back in spring", "--until", "90d"];
    let outcome = stage.run(&words).ends(0);
    assert!(outcome.out.contains("broken   http://a.test/rota"), "{outcome}");

    let found = stage.run(&["findings"]).ends(0);
    assert_eq!(verdicts(&found), "1 broken, 1 doubtful, 0 moved, 0 sound, 1 waived");
    assert!(!found.out.contains("a.test/rota"), "{found}");
    let waived = stage.run(&["findings", "--standing", "waived", "--format", "jsonl"]).ends(0);
    assert_eq!(waived.json().len(), 1);
    assert_eq!(waived.json()[0]["standing"], "waived");
    let all = stage.run(&["findings", "--all", "--format", "jsonl"]).ends(0);
    assert!(all.json().iter().any(|row| row["standing"] == "waived"), "never lost: {all}");

    stage
        .run(&["waive", "--page", "a.test", "--cause", "not-found", "--reason", "all of it"])
        .ends(0);
    stage.run(&["findings", "--fail-on", "broken"]).ends(0);
    stage.run(&["findings", "--fail-on", "doubtful"]).ends(1);
    stage.run(&["recheck", "/old", "--fail-on", "broken"]).ends(0);
    let schedule = stage.run(&["schedule"]).ends(0);
    assert!(schedule.out.contains("  waived     http://a.test/rota"), "{schedule}");

    let list = stage.run(&["waive", "--list"]).ends(0);
    assert!(list.out.contains("  1  leave  comes back in spring"), "{list}");
    assert!(list.out.contains("covers 2 targets on 2 links"), "{list}");
    stage.run(&["waive", "--lift", "1,2"]).ends(0);
    let found = stage.run(&["findings"]).ends(0);
    assert_eq!(verdicts(&found), "2 broken, 1 doubtful, 0 moved, 0 sound");
    let list = stage.run(&["waive", "--list"]).ends(0);
    assert!(list.out.starts_with("no waivers"), "{list}");
}

#[test]
fn a_works_waiver_reopens_when_the_response_changes() {
    let (one, two) = (Stage::new(&worn(403)), Stage::new(&worn(404)));
    crawl(&one);
    let works = ["waive", "--host", "b.test", "--works", "--reason", "they refuse robots"];
    one.run(&works).ends(0);
    let file = fs::read_to_string(one.path("waivers.toml")).unwrap();
    assert!(file.contains("{ target = \"http://b.test/in\", status = 403 }"), "{file}");
    assert_eq!(
        verdicts(&one.run(&["findings"]).ends(0)),
        "2 broken, 0 doubtful, 0 moved, 0 sound, 1 waived"
    );
    let store = one.path("store.db").display().to_string();
    two.run(&["crawl", "http://a.test", "--store", &store, "-q"]).ends(1);
    let found = two.run(&["findings", "--store", &store]).ends(0);
    assert!(found.out.contains("http://b.test/in") && !found.out.contains("waived"), "{found}");
    let list = two.run(&["waive", "--list", "--store", &store]).ends(0);
    assert!(list.out.contains("reopened: 1 target responds differently"), "{list}");
}

#[test]
fn edits_to_the_file_are_preserved() {
    let stage = Stage::new(&worn(403));
    crawl(&stage);
    let file = "# Ours.\n\n# About the menu.\n[[waiver]]\ntarget = \"/rota\"   # the menu\n\
        until = 2020-01-01\nreason = \"old\"\n\n# Never seen.\n[[waiver]]\nhost = \"c.test\"\n";
    fs::write(stage.path("waivers.toml"), file).unwrap();
    assert_eq!(
        verdicts(&stage.run(&["findings"]).ends(0)),
        "2 broken, 1 doubtful, 0 moved, 0 sound"
    );
    let list = stage.run(&["waive", "--list"]).ends(0);
    assert!(list.out.contains("ended; open again: 1 target on 1 link"), "{list}");
    assert!(list.out.contains("no longer covers anything: rummage waive --lift 2"), "{list}");
    stage.run(&["waive", "/old", "--reason", "mine"]).ends(0);
    let written = fs::read_to_string(stage.path("waivers.toml")).unwrap();
    assert!(written.starts_with(file), "comments and order are kept: {written}");
    stage.run(&["waive", "--lift", "1"]).ends(0);
    let written = fs::read_to_string(stage.path("waivers.toml")).unwrap();
    assert!(written.starts_with("# Ours.\n\n# Never seen.\n[[waiver]]\nhost"), "{written}");
    assert!(!written.contains("About the menu"), "what stood right above goes with it: {written}");
}

#[test]
fn invalid_arguments_and_files_are_errors_and_nothing_is_written() {
    let stage = Stage::new(&worn(403));
    crawl(&stage);
    for (words, what) in [
        (vec!["waive"], "required"),
        (vec!["waive", "--reason", "x"], "nothing to waive"),
        (vec!["waive", "/none", "--reason", "x"], "no finding of run 1 matches"),
        (vec!["waive", "/rota", "--reason", " "], "give a reason"),
        (vec!["waive", "/rota", "--reason", "x", "--until", "soon"], "give a date such as"),
        (vec!["waive", "/rota", "--reason", "x", "--until", "2020-01-01"], "has passed"),
        (vec!["waive", "/rota", "--reason", "x", "--works", "--leave"], "cannot be used with"),
        (vec!["waive", "--lift", "1"], "there is no waiver 1"),
    ] {
        let outcome = stage.run(&words).ends(2);
        assert!(outcome.err.contains(what), "{what} in {outcome}");
    }
    assert!(!stage.path("waivers.toml").exists());
    for (file, what) in [
        ("[[waiver]]\ntarget = 3", "waiver 1 is invalid: target has the wrong type"),
        ("[[waver]]\ntarget = \"x\"", "has a table \"waver\", which is not a waiver"),
        ("[[waiver]\n", "is not valid TOML"),
    ] {
        fs::write(stage.path("waivers.toml"), file).unwrap();
        for words in [vec!["findings"], vec!["crawl", "http://a.test"]] {
            let outcome = stage.run(&words).ends(2);
            assert!(outcome.err.contains(what), "{what} in {outcome}");
        }
        assert_eq!(fs::read_to_string(stage.path("waivers.toml")).unwrap(), file);
    }
}

#[test]
fn the_head_of_the_file_stays_on_top() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/x>x</a> <a href=/y>y</a>"))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let file = || std::fs::read_to_string(stage.path("waivers.toml")).unwrap();
    for target in ["/x", "/y"] {
        stage.run(&["waive", target, "--reason", "known"]).ends(0);
    }
    assert!(file().starts_with("# Waived findings."), "{}", file());
    assert!(file().ends_with("target = [\"/y\"]\n"), "{}", file());
    stage.run(&["waive", "--lift", "1,2"]).ends(0);
    stage.run(&["waive", "/x", "--reason", "known"]).ends(0);
    assert!(file().starts_with("# Waived findings.") && file().contains("\n\n[[waiver]]\n"));
    assert_eq!(file().matches("# Waived findings.").count(), 1);
}

#[test]
fn a_waiver_takes_every_selecting_option_and_exceptions() {
    let stage = Stage::new(&worn(403));
    crawl(&stage);
    let entries = || std::fs::read_to_string(stage.path("waivers.toml")).unwrap();
    // What a waiver cannot name chooses among the targets of now.
    let words = ["waive", "--element", "a", "--scope", "external", "--reason", "x"];
    stage.run(&words).ends(0);
    assert!(entries().contains("target = [\"http://b.test/in\"]"), "{}", entries());
    stage.run(&["waive", "--lift", "1"]).ends(0);
    // Its own patterns stay patterns, with the targets left out.
    let words = ["waive", "http://a.test/*", "--except", "*/rota", "--reason", "x"];
    let outcome = stage.run(&words).ends(0);
    assert!(outcome.out.contains("waived 1 target"), "{outcome}");
    assert!(entries().contains("except = [\"*/rota\"]"), "{}", entries());
    let found = stage.run(&["findings"]).ends(0);
    assert_eq!(verdicts(&found), "1 broken, 1 doubtful, 0 moved, 0 sound, 1 waived");
    assert!(found.out.contains("a.test/rota"), "{found}");
    let list = stage.run(&["waive", "--list"]).ends(0);
    assert!(list.out.contains("except */rota"), "{list}");
    let outcome = stage.run(&["waive", "--text", "no such words", "--reason", "x"]).ends(2);
    assert!(outcome.err.contains("no finding of run 1 matches"), "{outcome}");
}
