//! Counts that add up: the targets of the head are the targets of a listing, and the parts of all
//! requests are their sum.

use std::collections::BTreeMap;

use rummage_demo::{Scenario, generated, museum};

use crate::harness::Stage;
use crate::options::{page, site};

/// The number before a word, such as 1,877 in `1,877 links`.
fn number_before(text: &str, word: &str) -> usize {
    let before = text.split(&format!(" {word}")).next().filter(|before| *before != text);
    let digits = before.and_then(|before| before.rsplit([' ', '(']).next());
    digits.map_or(0, |digits| digits.replace(',', "").parse().unwrap_or(0))
}

/// Checks the totals of a run: how many requests it made.
fn adds_up(stage: &Stage, run: &str) -> usize {
    let head = stage.run(&["findings", "--run", run, "--limit", "1"]).out;
    let line = |part: &str| {
        let found = head.lines().find(|line| line.contains(part));
        found.unwrap_or_else(|| panic!("no {part:?} in\n{head}")).to_owned()
    };
    let rows = listed(stage, run);
    let verdicts = line(" moved, ");
    for verdict in ["broken", "doubtful", "moved", "sound", "waived"] {
        let listed = rows.get(verdict).copied().unwrap_or_default();
        assert_eq!(number_before(&verdicts, verdict), listed, "{verdict} of run {run}\n{head}");
    }
    let not_checked = head.lines().find(|line| line.contains(" not checked: "));
    let not_checked = not_checked.map_or(0, |line| number_before(line, "not checked"));
    assert_eq!(not_checked, rows.get("skipped").copied().unwrap_or_default(), "{head}");
    if head.contains(" links to ") {
        let targets = number_before(&line(" links to "), "target");
        assert_eq!(targets, rows.values().sum::<usize>(), "{head}");
    }

    let open = rows.get("broken").unwrap_or(&0) + rows.get("doubtful").unwrap_or(&0);
    let runs = stage.run(&["sites", "runs"]).out;
    let of_run = runs.lines().find(|line| line.trim_start().split(' ').next() == Some(run));
    let columns = of_run.unwrap_or_else(|| panic!("no run {run} in\n{runs}")).split_whitespace();
    let columns: Vec<&str> = columns.collect();
    assert_eq!(columns[columns.len() - 3], open.to_string(), "open, of run {run}\n{runs}\n{head}");

    let requests = line(" requests: ");
    let (all, parts) = requests.split_once(" requests: ").unwrap();
    let all: usize = all.replace(',', "").parse().unwrap();
    let parts = parts.split(", ").map(|part| part.split(' ').next().unwrap().replace(',', ""));
    assert_eq!(all, parts.map(|part| part.parse::<usize>().unwrap()).sum::<usize>(), "{head}");
    all
}

/// The targets of a listing of all links, by verdict; those that are waived apart.
fn listed(stage: &Stage, run: &str) -> BTreeMap<String, usize> {
    let words = ["findings", "--run", run, "--all", "--group", "target", "--format", "jsonl"];
    let mut rows = BTreeMap::new();
    for row in stage.run(&words).json() {
        let waived = row["standing"] == "waived";
        let kind = if waived { "waived" } else { row["verdict"].as_str().unwrap() };
        *rows.entry(kind.to_owned()).or_default() += 1;
    }
    rows
}

fn check(scenario: &Scenario) {
    let stage = Stage::new(scenario);
    stage.run(&["crawl", &scenario.start, "--timeout", "500ms"]);
    let seen = stage.web.requests().len();
    let requests = adds_up(&stage, "1");
    // What got no connection is a request too.
    assert!(seen <= requests && requests < seen * 2, "{requests} requests, {seen} of them seen");
    stage.run(&["recheck", "--verdict", "broken", "--timeout", "500ms"]);
    adds_up(&stage, "2");
    stage.run(&["waive", &scenario.truth[1].target, "--reason", "known"]).ends(0);
    assert_eq!(listed(&stage, "2").get("waived"), Some(&1));
    adds_up(&stage, "2");
    stage.run(&["page", &scenario.start, "--timeout", "500ms"]);
    adds_up(&stage, "3");
    stage.run(&["probe", &scenario.start, &scenario.truth[0].target, "--timeout", "500ms"]);
    adds_up(&stage, "4");
}

#[test]
fn the_counts_of_the_museum_add_up() {
    check(&museum());
}

#[test]
fn placeholders_are_counted_as_they_are_listed() {
    let links = "<a href='{{ url }}'>u</a><a href='{{ url }}?x'>u</a><a href=TODO>t</a><a href='#'>n</a>\
                 <a href='javascript:void(0)'>v</a><img src='%%IMAGE%%'>";
    let paths = [("/", page(links)), ("/TODO", page(links))];
    for settings in ["", "[defaults]\nplaceholders = \"broken\"\n"] {
        let stage = Stage::new(&site("a.test", &paths));
        std::fs::write(stage.path("rummage.toml"), settings).unwrap();
        stage.run(&["crawl", "http://a.test/"]).ends(1);
        adds_up(&stage, "1");
    }
}

#[test]
fn the_counts_of_generated_webs_add_up() {
    std::thread::scope(|scope| {
        for seed in 11..=14 {
            scope.spawn(move || check(&generated(seed)));
        }
    });
}
