//! Listings: every grouping and format, and what each filter matches.

use std::collections::BTreeSet;

use rummage_demo::{generated, museum};
use serde_json::Value;

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};
use crate::screens::settings;

fn crawled() -> Stage {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "1s", "-q"]).ends(1);
    stage
}

#[test]
fn every_grouping_and_format_of_the_museum() {
    let stage = crawled();
    // The beginning of each shows its form; the rest is similar.
    for (name, words) in [
        ("group_page", &["--group", "page", "--limit", "4"][..]),
        ("group_host", &["--group", "host", "--limit", "4"]),
        ("group_cause", &["--group", "cause", "--limit", "4"]),
        ("group_none", &["--group", "none", "--limit", "12"]),
        ("unfolded", &["--target", "/volunteers/rota.html", "--unfold", "--page", "/walks/*"]),
        ("sorted", &["--scope", "external", "--sort", "target:desc", "--limit", "3", "-v"]),
        ("format_md", &["--format", "md", "--limit", "6"]),
        ("format_md_page", &["--format", "md", "--group", "page", "--limit", "3"]),
        ("format_md_host", &["--format", "md", "--group", "host", "--limit", "3"]),
        ("format_md_none", &["--format", "md", "--group", "none", "--limit", "4"]),
        ("format_csv", &["--format", "csv", "--limit", "6"]),
        ("format_jsonl", &["--format", "jsonl", "--limit", "3"]),
        ("format_jsonl_target", &["--format", "jsonl", "--group", "target", "--limit", "3"]),
        ("format_json", &["--format", "json", "--verdict", "moved"]),
        ("nothing_fits", &["--status", "418", "--host", "nowhere.test"]),
    ] {
        let outcome = stage.run(&[&["findings"], words].concat()).ends(0);
        settings().bind(|| insta::assert_snapshot!(name, outcome.out));
    }
}

/// The rows of a CSV by column, with lists split again.
fn csv(outcome: &Outcome) -> Vec<Vec<String>> {
    let mut reader =
        csv::ReaderBuilder::new().has_headers(false).from_reader(outcome.out.as_bytes());
    let row = |row: csv::Result<csv::StringRecord>| {
        row.unwrap().iter().map(str::to_owned).collect::<Vec<_>>()
    };
    reader.records().map(row).collect()
}

/// The values of an object in order, as CSV writes them.
fn texts(row: &Value) -> Vec<String> {
    let text = |value: &Value| match value {
        Value::Null => String::new(),
        Value::String(text) if text.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']) => {
            format!("'{text}")
        }
        Value::String(text) => text.clone(),
        Value::Array(words) => {
            words.iter().filter_map(Value::as_str).collect::<Vec<_>>().join("; ")
        }
        other => other.to_string(),
    };
    row.as_object().unwrap().values().map(text).collect()
}

/// Generated webs with several selections: the three formats for programs agree.
#[test]
fn csv_jsonl_and_json_have_the_same_rows() {
    for seed in 11..14 {
        let scenario = generated(seed);
        let stage = Stage::new(&scenario);
        stage.run(&["crawl", &scenario.start, "--timeout", "500ms", "-q"]).ends(1);
        for filter in [&[][..], &["--all"], &["--status", "4xx"], &["--element", "img,link"]] {
            let list = |format| {
                let words = [&["findings", "--format", format], filter].concat();
                stage.run(&words).ends(0)
            };
            let (lines, json) = (list("jsonl").json(), list("json"));
            let rows = csv(&list("csv"));
            let keys: Vec<&str> = lines.first().map_or(Vec::new(), |line| {
                line.as_object().unwrap().keys().map(String::as_str).collect()
            });
            assert_eq!(rows[0].len(), 25);
            assert!(keys.is_empty() || keys.len() == 25);
            let of_lines: Vec<Vec<String>> = lines.iter().map(texts).collect();
            assert_eq!(
                rows[1..].iter().map(|row| sorted(row)).collect::<Vec<_>>(),
                of_lines.iter().map(|row| sorted(row)).collect::<Vec<_>>(),
                "seed {seed} {filter:?}"
            );
            let by_target = |format| {
                let words = ["findings", "--group", "target", "--format", format];
                stage.run(&[&words, filter].concat()).ends(0)
            };
            let targets = csv(&by_target("csv"));
            assert_eq!(targets[0].len(), 22);
            let of_lines: Vec<_> =
                by_target("jsonl").json().iter().map(|line| sorted(&texts(line))).collect();
            let of_csv: Vec<_> = targets[1..].iter().map(|row| sorted(row)).collect();
            assert_eq!(of_csv, of_lines, "seed {seed} {filter:?}");
            let list: Vec<Value> = serde_json::from_str(&json.out).unwrap();
            let links = list.iter().flat_map(|target| target["links"].as_array().unwrap());
            let of_json: BTreeSet<String> = links.map(ToString::to_string).collect();
            let of_lines: BTreeSet<String> = lines.iter().map(ToString::to_string).collect();
            assert_eq!(of_json, of_lines, "seed {seed} {filter:?}");
        }
    }
}

/// `serde_json` sorts keys by name: values are compared as a set.
fn sorted(row: &[String]) -> Vec<String> {
    let mut row = row.to_vec();
    row.sort();
    row
}

#[test]
fn each_filter_matches_exactly_what_it_names() {
    let scenario = generated(21);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", &scenario.start, "--timeout", "500ms", "-q"]).ends(1);
    let list = |filter: &[&str]| -> Vec<Value> {
        let words = [&["findings", "--all", "--format", "jsonl"][..], filter].concat();
        stage.run(&words).ends(0).json()
    };
    let all = list(&[]);
    let text = |line: &Value, key: &str| line[key].as_str().unwrap_or_default().to_owned();
    let status = |line: &Value| line["status"].as_u64().unwrap_or_default();
    let first = &all[all.len() / 2];
    let (page, target) = (text(first, "page"), text(first, "target"));
    let host = target.split('/').nth(2).unwrap_or_default().to_owned();
    let word = all.iter().map(|line| text(line, "text")).find(|text| text.len() > 3).unwrap();
    type Holds<'a> = Box<dyn Fn(&Value) -> bool + 'a>;
    let filters: Vec<(Vec<&str>, Holds<'_>)> = vec![
        (vec!["--cause", "not-found"], Box::new(|line| line["cause"] == "not-found")),
        (
            vec!["--status", "404,5xx"],
            Box::new(|line| status(line) == 404 || status(line) / 100 == 5),
        ),
        (vec!["--scope", "external"], Box::new(|line| line["scope"] == "external")),
        (vec!["--element", "img"], Box::new(|line| line["element"] == "img")),
        (vec!["--page", &page], Box::new(|line| text(line, "page") == page)),
        (
            vec!["--target", &target],
            Box::new(|line| text(line, "target").split('#').next() == target.split('#').next()),
        ),
        (vec!["--host", &host], Box::new(|line| text(line, "target").contains(&host))),
        (
            vec!["--text", &word],
            Box::new(|line| {
                let own = text(line, "text").to_lowercase();
                word.to_lowercase().split_whitespace().all(|word| own.contains(word))
            }),
        ),
        (vec!["--standing", "new"], Box::new(|line| line["standing"] == "new")),
    ];
    for (filter, holds) in &filters {
        let expected: Vec<&Value> = all.iter().filter(|line| holds(line)).collect();
        let found = list(filter);
        assert_eq!(found.iter().collect::<Vec<_>>(), expected, "{filter:?}");
    }
    let found = list(&["--search", &word.to_uppercase()]);
    assert!(!found.is_empty() && found.len() <= all.len());
    assert!(found.iter().all(|line| {
        let all = ["target", "page", "text", "written"].map(|key| text(line, key).to_lowercase());
        all.iter().any(|text| text.contains(&word.to_lowercase()))
    }));
}

#[test]
fn totals_include_everything_and_cuts_are_reported() {
    let stage = crawled();
    let whole = stage.run(&["findings"]).ends(0);
    let cut = stage.run(&["findings", "--limit", "2"]).ends(0);
    let head =
        |outcome: &Outcome| outcome.out.lines().take(3).map(str::to_owned).collect::<Vec<_>>();
    assert_eq!(head(&cut), head(&whole));
    assert!(cut.out.contains("2 of 70 targets shown: --limit"), "{cut}");
    let rows = stage.run(&["findings", "--limit", "2", "--format", "csv"]).ends(0);
    assert_eq!(rows.out.lines().count(), 3);
    assert!(rows.err.ends_with(" rows shown: --limit\n"), "{rows}");
    let sorted = stage
        .run(&["findings", "--group", "target", "--format", "jsonl", "--sort", "pages:desc"])
        .ends(0);
    let pages: Vec<u64> =
        sorted.json().iter().map(|line| line["pages"].as_u64().unwrap()).collect();
    assert!(pages.is_sorted_by(|one, other| one >= other) && pages[0] > 70, "{pages:?}");
}

#[test]
fn files_are_written_completely_in_the_format_of_their_extension() {
    let stage = crawled();
    for (file, begins) in [
        ("a.csv", "verdict,cause,status,target"),
        ("a.jsonl", "{\"verdict\":\""),
        ("a.json", "[\n{\"verdict\":\"broken\""),
        ("a.md", "# Ashlock Canal Museum\n"),
        ("a.txt", "Ashlock Canal Museum  www.ashlock-canal.test"),
    ] {
        let outcome = stage.run(&["findings", "--color", "always", "-o", file]).ends(0);
        assert_eq!(outcome.out, "");
        let text = std::fs::read_to_string(stage.path(file)).unwrap();
        assert!(text.starts_with(begins) && !text.contains('\u{1b}'), "{file}: {text:.300}");
    }
    let semicolons = ["findings", "--format", "csv", "--csv-separator", ";", "-o", "-"];
    assert!(stage.run(&semicolons).ends(0).out.starts_with("verdict;cause;status"));
    let outcome = stage.run(&["findings", "-o", "none/a.csv"]).ends(2);
    assert!(outcome.err.contains("cannot write none/a.csv"), "{outcome}");
    let outcome = stage.run(&["findings", "-o", "a.xls"]).ends(2);
    assert!(
        outcome.err.contains("is not that of a known format") && outcome.err.contains("--format"),
        "{outcome}"
    );
}

#[test]
fn invalid_values_list_the_valid_ones() {
    let stage = Stage::new(&generated(1));
    for (words, hint) in [
        (&["--sort", "pagse"][..], "Did you mean pages?"),
        (&["--sort", "pages:up"], "the order is asc or desc"),
        (&["--group", "page", "--sort", "status"], "The keys are page, title, depth or links."),
        (&["--format", "json", "--group", "host"], "cannot group otherwise"),
        (&["--cause", "not-fuond"], "did you mean not-found?"),
        (&["--status", "4x"], "a class such as 5xx"),
        (&["--standing", "healed"], "rummage compare"),
        (&["--scope", "outside"], "internal or external"),
        (&["--csv-separator", "ab"], "give one character"),
        (&["--run", "7"], "no store at"),
    ] {
        let outcome = stage.run(&[&["findings"], words].concat());
        assert!(outcome.code == Some(2) || outcome.code == Some(4), "{outcome}");
        assert!(outcome.err.contains(hint), "{hint:?} in {outcome}");
    }
}

/// Many URLs may contain the path of one.
#[test]
fn a_trace_prefers_the_url_with_exactly_this_path() {
    let links = "<a href=/a>1</a> <a href=/a/b>2</a> <a href='/a?x=1'>3</a>";
    let stage = Stage::new(&site("a.test", &[("/", page(links))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let outcome = stage.run(&["trace", "/a"]).ends(0);
    assert!(outcome.out.contains("\nhttp://a.test/a\n"), "{outcome}");
    let outcome = stage.run(&["trace", "test/a"]).ends(2);
    for url in ["http://a.test/a\n", "http://a.test/a/b\n", "http://a.test/a?x=1\n"] {
        assert!(outcome.out.contains(url), "{outcome}");
    }
}

#[test]
fn what_is_new_is_selected_in_one_word() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/a>1</a>"))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let none = stage.run(&["findings", "--new", "--format", "jsonl"]).ends(0);
    assert_eq!(none.out, "");
    let all = stage.run(&["findings", "--run", "1", "--new", "--format", "jsonl"]).ends(0);
    let standing = ["findings", "--run", "1", "--standing", "new,returned", "--format", "jsonl"];
    assert_eq!(all.out, stage.run(&standing).ends(0).out);
}

/// Two sites of which each has been crawled twice; the second time, more was missing.
fn grown() -> Stage {
    let links = "<a rel='nofollow sponsored' href=/ad>ad</a><a href=/more>more</a>";
    let mut scenario = site("a.test", &[("/", page(links)), ("/more", page("<a href=/new>n</a>"))]);
    let other = site("b.test", &[("/", page("<a rel=nofollow href=/gone>gone</a>"))]);
    scenario.hosts.extend(other.hosts);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", "http://a.test", "--depth", "0", "-q"]).ends(1);
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage.run(&["crawl", "http://b.test", "-q"]).ends(1);
    stage
}

#[test]
fn rel_and_exceptions_select_links() {
    let stage = grown();
    let targets = |words: &[&str]| -> Vec<String> {
        let words = [&["findings", "--site", "a.test", "--format", "jsonl"], words].concat();
        let rows = stage.run(&words).ends(0).json();
        rows.iter().map(|row| row["target"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(targets(&["--rel", "sponsored,ugc"]), ["http://a.test/ad"]);
    assert_eq!(targets(&["--rel", "ugc"]), Vec::<String>::new());
    assert_eq!(targets(&["--except", "*/ad"]), ["http://a.test/new"]);
    let text = stage.run(&["findings", "--site", "a.test"]).ends(0).out;
    assert!(text.contains("a \"ad\" rel=nofollow sponsored\n"), "{text}");
}

#[test]
fn findings_since_a_run_or_a_date() {
    let stage = grown();
    let found = |since: &str| {
        let words = ["findings", "--site", "a.test", "--since", since, "--format", "jsonl"];
        stage.run(&words).ends(0).json().len()
    };
    assert_eq!((found("1"), found("2"), found("3")), (2, 1, 0));
    assert_eq!((found("1d"), found("2020-01-01"), found("tomorrow")), (2, 2, 0));
    let outcome = stage.run(&["findings", "--since", "later"]).ends(2);
    assert!(outcome.err.contains("give the number of a run, a date"), "{outcome}");
}

#[test]
fn the_last_runs_of_all_sites_are_one_listing() {
    let stage = grown();
    let text = stage.run(&["findings", "--site", "all"]).ends(0).out;
    for part in ["a.test  run 2", "b.test  run 3", "http://a.test/new\n", "http://b.test/gone\n"] {
        assert!(text.contains(part), "{part} in {text}");
    }
    let rows = csv(&stage.run(&["findings", "--site", "all", "--format", "csv"]).ends(0));
    assert_eq!(rows.iter().filter(|row| row[0] == "verdict").count(), 1, "one head: {rows:?}");
    assert_eq!(rows.len(), 1 + 3);
    stage.run(&["findings", "--site", "all", "--fail-on", "broken"]).ends(1);
    for words in [["--format", "json"], ["--run", "1"]] {
        stage.run(&[&["findings", "--site", "all"], &words[..]].concat()).ends(2);
    }
}

#[test]
fn what_was_left_out_names_the_option() {
    let links = "<a href=/print/1>p</a><a href=/deep>d</a><a href=http://b.test/>b</a>";
    let deep = page("<a href=/deeper>d</a>");
    let stage = Stage::new(&site("a.test", &[("/", page(links)), ("/deep", deep)]));
    let words = ["crawl", "http://a.test", "--exclude", "/print/*", "--externals", "note"];
    stage.run(&[&words[..], &["--depth", "0", "-q"]].concat()).ends(0);
    let skipped = stage.run(&["findings", "--verdict", "skipped"]).ends(0).out;
    assert!(skipped.contains("http://a.test/print/1\n  by --exclude '/print/*'\n"), "{skipped}");
    assert!(skipped.contains("http://b.test/\n  by --externals note\n"), "{skipped}");
    let unparsed = stage.run(&["findings", "--cause", "not-parsed"]).ends(0).out;
    let line = "http://a.test/deep\n  not parsed for links: deeper than --depth 0\n";
    assert!(unparsed.contains(line), "{unparsed}");
    let rows = stage.run(&["findings", "--cause", "not-parsed", "--format", "jsonl"]).ends(0);
    assert_eq!(rows.json().len(), 1, "{rows}");
}

#[test]
fn a_trace_knows_placeholders_and_waivers() {
    let links = "<a href='#'>top</a><a href=' # '>again</a><a href=''>none</a><a href=/lost>l</a>\
                 <a href='javascript:void(0)'>v</a>";
    let paths = [("/", page(links)), ("/two", page("<a href='#'>two</a>"))];
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "http://a.test/two", "-q"]).ends(1);
    let trace = stage.run(&["trace", "#"]).ends(0).out;
    assert!(trace.contains("\n#\n  doubtful  placeholder link (placeholder)\n"), "{trace}");
    assert!(trace.contains("To do: ") && trace.contains("3 links on 2 pages\n"), "{trace}");
    let trace = stage.run(&["trace", "javascript:void(0)"]).ends(0).out;
    assert!(trace.contains("doubtful  placeholder link"), "{trace}");
    let trace = stage.run(&["trace", "an empty URL"]).ends(0).out;
    assert!(trace.contains("1 link on 1 page\n"), "{trace}");
    let words = ["waive", "/lost", "--reason", "comes back in spring", "--until", "90d"];
    stage.run(&words).ends(0);
    let trace = stage.run(&["trace", "/lost"]).ends(0).out;
    assert!(trace.contains("  waived (leave, waiver 1)"), "{trace}");
    assert!(trace.contains("(90 days left): comes back in spring\n"), "{trace}");
}
