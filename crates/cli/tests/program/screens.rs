//! The text output for the museum, exactly, except for times and ports.

use rummage_demo::{generated, museum};

use crate::harness::{OVERLOADED, Outcome, Stage};

pub(crate) fn settings() -> insta::Settings {
    let mut settings = insta::Settings::clone_current();
    settings.add_filter(r"\d{4}-\d\d-\d\d \d\d:\d\d(:\d\d)? UTC", "[time]");
    settings.add_filter(r"took \S+ (ms|s)\b", "took [time]");
    settings.add_filter(r"\((under 1 ms|\d+ ms|\d+\.\d s)\)", "([time])");
    settings.add_filter(r"(?m)  (under 1 ms|\d+ ms|\d+\.\d s)$", "  [time]");
    // How many times a failing URL is tried depends on what else fails at that moment.
    let attempts = r"(?m)^  (GET|HEAD).*( times:|under strain|name server| 5\d\d).*$";
    settings.add_filter(attempts, "  [attempts]");
    settings.add_filter(r"\d{4}-\d\d-\d\dT[\d:.]+Z", "[time]");
    // How often a slow server is retried differs; `sums` checks these counts.
    settings.add_filter(r"(?m)^[\d,]+ (files read and )?requests: .*$", "[requests]");
    settings.add_filter(r#""ms":\d+"#, "\"ms\":[ms]");
    settings.add_filter(r#""attempts":\d+"#, "\"attempts\":[attempts]");
    // The same two columns of a CSV row.
    settings.add_filter(r"(?m)^(.*,\[time\]),\d+,\d+,", "$1,[ms],[attempts],");
    settings.add_filter(r"\| \[time\] \| \d+ \| \d+ \|", "| [time] | [ms] | [attempts] |");
    settings.add_filter(&format!("(?m)^.*{OVERLOADED}.*\\n"), "");
    settings.set_omit_expression(true);
    settings.set_prepend_module_to_snapshot(false);
    settings
}

fn crawled() -> (Stage, Outcome) {
    let stage = Stage::new(&museum());
    let outcome = stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "1s"]).ends(1);
    (stage, outcome)
}

#[test]
fn crawl_findings_and_trace() {
    let (stage, crawl) = crawled();
    settings().bind(|| insta::assert_snapshot!("crawl", crawl.out));
    assert_eq!(
        crawl.err,
        "Ashlock Canal Museum: all of www.ashlock-canal.test and ashlock-canal.test, \
         over http and https\n"
    );

    let findings = stage.run(&["findings"]).ends(0);
    assert_eq!(findings.out, crawl.out, "crawl and findings agree to the byte");
    let doubtful = stage.run(&["findings", "--verdict", "doubtful,moved"]).ends(0);
    settings().bind(|| insta::assert_snapshot!("findings_doubtful_moved", doubtful.out));

    for (name, target) in [
        ("trace_moved", "trains.westshire.test/timetable"),
        ("trace_page", "https://www.ashlock-canal.test/visit/"),
        ("trace_failing", "shop.lockside.test/tickets"),
        ("trace_loop", "https://www.ashlock-canal.test/walks/circular"),
        ("trace_several", "archive.westshire.test/canals"),
    ] {
        let ends = if name == "trace_several" { 2 } else { 0 };
        let trace = stage.run(&["trace", target]).ends(ends);
        settings().bind(|| insta::assert_snapshot!(name, trace.out));
    }
}

#[test]
fn rows_always_have_all_keys_in_order() {
    let scenario = generated(3);
    let stage = Stage::new(&scenario);
    let words = ["crawl", &scenario.start, "--timeout", "500ms", "--format", "jsonl", "--all"];
    let outcome = stage.run(&words).ends(1);
    let keys = [
        "verdict",
        "cause",
        "status",
        "target",
        "final",
        "scope",
        "page",
        "line",
        "column",
        "element",
        "attribute",
        "text",
        "written",
        "region",
        "rel",
        "shared",
        "standing",
        "notes",
        "first_seen",
        "checked_at",
        "ms",
        "attempts",
        "page_title",
        "link_title",
        "edit",
    ];
    for line in outcome.out.lines() {
        let mut at = 0;
        for key in keys {
            let key = format!("\"{key}\":");
            let place = line[at..].find(&key).unwrap_or_else(|| panic!("{key} in {line}"));
            at += place + key.len();
        }
        let value: serde_json::Value = serde_json::from_str(line).unwrap();
        assert_eq!(value.as_object().unwrap().len(), keys.len(), "{line}");
    }
    let verdicts: std::collections::BTreeSet<String> =
        outcome.json().iter().map(|line| line["verdict"].as_str().unwrap().to_owned()).collect();
    assert_eq!(Vec::from_iter(verdicts), ["broken", "doubtful", "moved", "skipped", "sound"]);
}

#[test]
fn color_is_used_only_on_request() {
    let (stage, crawl) = crawled();
    assert!(!crawl.out.contains('\u{1b}'));
    let always = stage.run(&["findings", "--color", "always"]).ends(0);
    assert!(always.out.contains("\u{1b}["));
    let never = stage.run(&["findings", "--color", "never"]).ends(0);
    assert_eq!(never.out, crawl.out);
}
