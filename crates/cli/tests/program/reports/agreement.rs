//! The same words and numbers in every format, each read back.

use std::collections::BTreeSet;
use std::fs;

use rummage_demo::{Act, generated, museum};
use serde_json::Value;

use crate::harness::Stage;
use crate::options::{page, site};

/// The data in a report in HTML.
pub(super) fn data(html: &str) -> Value {
    let start = "<script type=\"application/json\" id=\"data\">";
    let (_, after) = html.split_once(start).expect("a report has data");
    let (json, _) = after.split_once("</script>").expect("the data end");
    serde_json::from_str(json).unwrap_or_else(|error| panic!("{error} in {json}"))
}

/// A crawled site, and its report in a format.
struct Reported {
    stage: Stage,
}

impl Reported {
    fn of(scenario: &rummage_demo::Scenario) -> Reported {
        let stage = Stage::new(scenario);
        stage.run(&["crawl", &scenario.start, "--timeout", "500ms", "-q"]);
        Reported { stage }
    }

    fn file(&self, name: &str) -> String {
        let outcome = self.stage.run(&["report", "-o", name]).ends(0);
        assert_eq!(outcome.out, "", "{outcome}");
        fs::read_to_string(self.stage.path(name)).unwrap()
    }

    fn check(&self) {
        let rows: Vec<Value> = self.file("r.jsonl").lines().map(parsed).collect();
        assert!(!rows.is_empty());
        self.check_table(&rows);
        self.check_json(&rows);
        self.check_sarif(&rows);
        self.check_junit(&rows);
        self.check_html(&rows);
        self.check_totals();
    }

    fn check_table(&self, rows: &[Value]) {
        let text = self.file("r.csv");
        let mut table = csv::Reader::from_reader(text.as_bytes());
        let names = table.headers().unwrap().clone();
        let records: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
        assert_eq!(records.len(), rows.len());
        for (record, row) in records.iter().zip(rows) {
            for key in ["verdict", "cause", "status", "target", "page", "line", "element"] {
                let at = names.iter().position(|name| name == key).unwrap();
                let expected = match &row[key] {
                    Value::Null => String::new(),
                    Value::String(text) => text.clone(),
                    other => other.to_string(),
                };
                // A quote before a formula is for spreadsheets.
                assert_eq!(record[at].trim_start_matches('\''), expected, "{key} of {row}");
            }
        }
    }

    fn check_json(&self, rows: &[Value]) {
        let targets = parsed(&self.file("r.json"));
        let nested = targets.as_array().unwrap().iter().flat_map(|target| {
            target["links"].as_array().unwrap().iter().map(key).collect::<Vec<_>>()
        });
        let nested: BTreeSet<String> = nested.collect();
        // A link that many pages share is there once.
        assert!(nested.is_subset(&keys(rows)), "{nested:?}");
    }

    fn check_sarif(&self, rows: &[Value]) {
        let log = parsed(&self.file("r.sarif"));
        let run = &log["runs"][0];
        let results = run["results"].as_array().unwrap();
        assert_eq!(results.len(), rows.len());
        let rules: BTreeSet<&str> = run["tool"]["driver"]["rules"]
            .as_array()
            .unwrap()
            .iter()
            .map(|rule| rule["id"].as_str().unwrap())
            .collect();
        for (result, row) in results.iter().zip(rows) {
            let level = match row["verdict"].as_str().unwrap() {
                "broken" => "error",
                "doubtful" => "warning",
                _ => "note",
            };
            assert_eq!(result["level"], level, "{row}");
            assert_eq!(result["properties"]["target"], row["target"], "{row}");
            let place = &result["locations"][0]["physicalLocation"];
            assert_eq!(place["artifactLocation"]["uri"], row["page"], "{row}");
            assert_eq!(place["region"]["startLine"], row["line"], "{row}");
            assert_eq!(place["region"]["startColumn"], row["column"], "{row}");
            let rule = result["ruleId"].as_str().unwrap();
            assert_eq!(rule, row["cause"].as_str().unwrap_or(rule));
            assert!(rules.contains(rule), "{rule}");
        }
        assert_eq!(run["invocations"][0]["executionSuccessful"], true);
    }

    fn check_junit(&self, rows: &[Value]) {
        let xml = self.file("r.xml");
        let broken: Vec<&Value> = rows.iter().filter(|row| row["verdict"] == "broken").collect();
        let pages: BTreeSet<&str> =
            broken.iter().map(|row| row["page"].as_str().unwrap()).collect();
        let attribute = |name: &str| {
            let (_, after) = xml.split_once(&format!(" {name}=\"")).unwrap();
            after.split_once('"').unwrap().0.parse::<usize>().unwrap()
        };
        assert_eq!(attribute("failures"), pages.len(), "{xml}");
        assert_eq!(xml.matches("<failure ").count(), pages.len(), "{xml}");
        assert_eq!(attribute("tests"), xml.matches("<testcase ").count(), "{xml}");
        assert_eq!(attribute("errors"), 0);
        assert_eq!(xml.matches(": broken, ").count(), broken.len(), "{xml}");
        assert_eq!(xml.matches(": doubtful, ").count(), count(rows, "doubtful"), "{xml}");
    }

    fn check_html(&self, rows: &[Value]) {
        let html = self.file("r.html");
        let data = data(&html);
        let text = |number: &Value| {
            data["texts"][usize::try_from(number.as_u64().unwrap()).unwrap()].as_str().unwrap()
        };
        let grouped = ["findings", "--group", "target", "--format", "jsonl", "-q"];
        let grouped = self.stage.run(&grouped).ends(0).json();
        let targets = data["targets"].as_array().unwrap();
        assert_eq!(targets.len(), grouped.len());
        let mut links = 0;
        for target in targets {
            let (verdict, cause) = (text(&target[2][0]), text(&target[2][1]));
            let known = grouped.iter().find(|row| {
                let name = row["target"].as_str().unwrap();
                target[0] == name || (cause == "placeholder" && row["cause"] == "placeholder")
            });
            let known = known.unwrap_or_else(|| panic!("{target} is not among the findings"));
            assert_eq!(verdict, known["verdict"], "{target}");
            assert_eq!(cause, known["cause"].as_str().unwrap_or_default(), "{target}");
            links += target[3][2].as_u64().unwrap();
        }
        assert_eq!(usize::try_from(links).unwrap(), rows.len());
        // The list for browsers without scripts is whole.
        let (_, list) = html.split_once("<noscript>").unwrap();
        let (list, _) = list.split_once("</noscript>").unwrap();
        assert_eq!(list.matches("<li><b>").count(), targets.len());
        assert!(!list.contains("The list ends here"), "{list}");
    }

    /// What is said above the findings is the same wherever it is said.
    fn check_totals(&self) {
        let text = self.stage.run(&["findings", "--limit", "1"]).ends(0).out;
        let totals = text.lines().find(|line| line.contains(" moved, ")).unwrap();
        let (html, md) = (self.file("r.html"), self.file("r.md"));
        assert!(html.contains(&format!("<li>{totals}</li>")), "{totals} in {html}");
        assert!(md.contains(totals), "{totals} in {md}");
        for part in totals.split(", ") {
            let (number, name) = part.split_once(' ').unwrap();
            let cell = format!("<dt>{name}</dt><dd>{number}</dd>");
            assert!(html.contains(&cell), "{cell} in {html}");
        }
        let checked = text.lines().find(|line| line.starts_with("Checked ")).unwrap();
        assert!(html.contains(checked) && md.contains(checked), "{checked}");
    }
}

#[track_caller]
pub(super) fn parsed(json: &str) -> Value {
    serde_json::from_str(json).unwrap_or_else(|error| panic!("{error} in {json}"))
}

fn key(row: &Value) -> String {
    ["verdict", "cause", "target", "page", "line", "column"]
        .map(|key| row[key].to_string())
        .join(" ")
}

fn keys(rows: &[Value]) -> BTreeSet<String> {
    rows.iter().map(key).collect()
}

fn count(rows: &[Value], verdict: &str) -> usize {
    rows.iter().filter(|row| row["verdict"] == verdict).count()
}

#[test]
fn all_formats_agree_on_the_museum() {
    Reported::of(&museum()).check();
}

#[test]
fn all_formats_agree_on_generated_webs() {
    for seed in [31, 32] {
        Reported::of(&generated(seed)).check();
    }
}

/// An email, a report and the terminal count the same targets.
#[test]
fn a_digest_agrees_with_the_report() {
    let links = "<a href=/one>1</a> <a href=/two>2</a> <a href=/two>2</a>";
    let stage = Stage::new(&site("a.test", &[("/", page(links))]));
    let toml = "[site.a]\nstart = \"http://a.test/\"\ndigest-to = [\"a@a.test\"]\n\
                digest-from = \"r@a.test\"\n";
    fs::write(stage.path("rummage.toml"), toml).unwrap();
    stage.run(&["crawl", "a", "-q"]).ends(1);
    assert_eq!(stage.web.emails()[0].subject(), "a.test: 2 found; 2 open");
    stage.run(&["report", "-o", "r.html"]).ends(0);
    let html = fs::read_to_string(stage.path("r.html")).unwrap();
    assert!(html.contains("<dt>broken</dt><dd>2</dd>"), "{html}");
    assert_eq!(data(&html)["targets"].as_array().unwrap().len(), 2);
}

/// What is new comes first, and runs are compared in a chart.
#[test]
fn news_comes_first() {
    let old = "<a href=/old>o</a>";
    let one = Stage::new(&site("a.test", &[("/", page(old))]));
    let both = format!("{old}<a href=/new>n</a>");
    let two = Stage::new(&site("a.test", &[("/", page(&both)), ("/old", Act::status(404))]));
    let store = one.path("store.db").display().to_string();
    one.run(&["crawl", "http://a.test", "-q"]).ends(1);
    two.run(&["crawl", "http://a.test", "-q", "--fresh", "--store", &store]).ends(1);
    two.run(&["report", "-o", "r.html", "--store", &store]).ends(0);
    let html = fs::read_to_string(two.path("r.html")).unwrap();
    let names: Vec<Value> =
        data(&html)["targets"].as_array().unwrap().iter().map(|target| target[0].clone()).collect();
    assert_eq!(names, ["http://a.test/new", "http://a.test/old"]);
    assert!(html.contains("run 1: 1 broken, 0 doubtful; run 2: 2 broken, 0 doubtful"), "{html}");
    assert!(html.contains("1 newly broken"), "{html}");
}

/// A run that is not finished is no all-clear in any format.
#[test]
fn an_unfinished_run_is_an_error_for_programs() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/b>b</a>")), ("/b", page(""))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(0);
    let db = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    db.execute("UPDATE run SET state = 'stopped'", []).unwrap();
    let file = |name: &str| {
        stage.run(&["report", "-o", name]).ends(0);
        fs::read_to_string(stage.path(name)).unwrap()
    };
    // The exit code says so where it matters.
    for (words, code) in [
        (&["--fail-on", "never"][..], 0),
        (&["--fail-on", "broken"], 3),
        (&["--fail-on", "new"], 3),
        (&["--baseline", "known.baseline"], 3),
    ] {
        fs::write(stage.path("known.baseline"), "").unwrap();
        stage.run(&[&["findings"], words].concat()).ends(code);
        stage.run(&[&["report", "-o", "r.csv"], words].concat()).ends(code);
    }
    let xml = file("r.xml");
    assert!(xml.contains("errors=\"1\"") && xml.contains("<error message=\"The run is"), "{xml}");
    let sarif = parsed(&file("r.sarif"));
    assert_eq!(sarif["runs"][0]["invocations"][0]["executionSuccessful"], false);
    assert!(file("r.html").contains("<p class=\"warning\">"));
}
