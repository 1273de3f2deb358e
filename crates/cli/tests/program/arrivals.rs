//! `rummage arrivals`: missing URLs in access logs.

use std::fs;
use std::io::Write as _;

use flate2::Compression;
use flate2::write::GzEncoder;
use rummage_demo::{ARRIVED, access_log, museum};
use serde_json::Value;

use crate::harness::Stage;
use crate::options::{page, site};

const AT: &str = "https://www.ashlock-canal.test/";

fn museum_with_log() -> Stage {
    let stage = Stage::new(&museum());
    fs::write(stage.path("access.log"), access_log()).unwrap();
    stage
}

fn path(row: &Value) -> &str {
    row["target"].as_str().unwrap().strip_prefix("https://www.ashlock-canal.test").unwrap()
}

#[test]
fn the_museums_log_gives_the_truth() {
    let stage = museum_with_log();
    let words = ["arrivals", "access.log", "--as", AT, "--format", "jsonl"];
    let outcome = stage.run(&words).ends(0);
    let rows = outcome.json();
    assert_eq!(rows.len(), ARRIVED.len());
    for truth in ARRIVED {
        let row = rows.iter().find(|row| path(row) == truth.path).unwrap();
        assert_eq!(row["status"], truth.status, "{row}");
        assert_eq!((&row["people"], &row["robots"]), (&truth.people.into(), &truth.robots.into()));
        assert_eq!(row["served_at"].is_string(), truth.over, "{row}");
        let own = truth.referrer.starts_with(AT);
        let (ours, theirs) = (&row["own_referrers"], &row["other_referrers"]);
        let (there, empty) = if own { (ours, theirs) } else { (theirs, ours) };
        assert_eq!(empty.as_array().unwrap().len(), 0, "{row}");
        if truth.referrer != "-" {
            assert_eq!(there[0], truth.referrer, "{row}");
        }
    }
    let people: Vec<u64> = rows.iter().map(|row| row["people"].as_u64().unwrap()).collect();
    assert!(people.is_sorted_by(|a, b| a >= b), "what people miss most comes first: {people:?}");
    assert!(outcome.err.contains("access.log, line 401 is not in access-log format"), "{outcome}");

    let text = stage.run(&["arrivals", "access.log", "--as", AT]).ends(0);
    assert!(text.out.contains("skipped 3 lines not in access-log format"), "{text}");
    assert!(text.out.contains("1 URL fixed since"), "{text}");
    assert!(text.out.contains("404  148 requests by people, 9 by robots"), "{text}");
}

#[test]
fn linking_pages_are_named_and_fixed_urls_are_listed_separately_with_check() {
    let stage = museum_with_log();
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    let before = stage.web.requests().len();
    let outcome = stage.run(&["arrivals", "access.log", "--check", "--timeout", "500ms"]).ends(0);
    let block = outcome.out.split("\n\n").find(|block| block.contains("/volunteers/rota.html"));
    let block = block.unwrap_or_else(|| panic!("{outcome}"));
    assert!(block.contains("  now broken  404 Not Found\n"), "{block}");
    assert!(
        block.contains("linked from 73 pages, first https://www.ashlock-canal.test/ 50:7"),
        "{block}"
    );
    let healed = outcome.out.split("\nfixed\n").nth(1).unwrap_or_else(|| panic!("{outcome}"));
    assert!(healed.contains("/boats/hazel/") && healed.contains("works now"), "{outcome}");
    let requests: Vec<String> =
        stage.web.requests()[before..].iter().map(|requests| requests.path.clone()).collect();
    assert!(
        !requests.iter().any(|path| path == "/visit/"),
        "nothing else is requested: {requests:?}"
    );
    let runs = stage.run(&["sites", "runs"]).ends(0);
    assert_eq!(runs.out.lines().count(), 2, "it is no run: {runs}");
    let words = ["arrivals", "access.log", "--check", "--cause", "server-error", "--timeout", "2s"];
    let rows = stage.run(&[&words[..], &["--format", "jsonl"]].concat()).ends(0).json();
    assert_eq!(rows.iter().map(path).collect::<Vec<_>>(), ["/cgi/guestbook"]);
}

#[test]
fn arrivals_are_selected_sorted_and_written_like_findings() {
    let stage = museum_with_log();
    let rows = |words: &[&str]| {
        let words = [&["arrivals", "access.log", "--as", AT, "--format", "jsonl"], words].concat();
        stage.run(&words).ends(0).json()
    };
    let paths =
        |words: &[&str]| rows(words).iter().map(|row| path(row).to_owned()).collect::<Vec<_>>();
    assert_eq!(paths(&["--status", "5xx"]), ["/cgi/guestbook"]);
    assert_eq!(paths(&["--target", "/old/*"]), ["/old/map.php?sheet=4"]);
    assert_eq!(paths(&["--query", "drop", "--search", "map"]), ["/old/map.php"]);
    assert_eq!(paths(&["--page", "reviews.daytrips.test"]), ["/visitors/opening.htm"]);
    assert_eq!(paths(&["--sort", "robots:desc", "--limit", "2"]), ["/wp-login.php", "/.env"]);
    let csv = stage.run(&["arrivals", "access.log", "--as", AT, "-o", "missing.csv"]).ends(0);
    assert_eq!(csv.out, "");
    let text = fs::read_to_string(stage.path("missing.csv")).unwrap();
    assert!(text.starts_with("status,target,hits,people,robots,"), "{text}");
    let md = stage.run(&["arrivals", "access.log", "--as", AT, "--format", "md"]).ends(0);
    assert!(md.out.contains("- [ ] 404, 148 requests by people: "), "{md}");
    let json = stage.run(&["arrivals", "access.log", "--as", AT, "--format", "json"]).ends(0);
    let list: Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(list.as_array().unwrap().len(), ARRIVED.len());
    stage.run(&["arrivals", "access.log", "--as", AT, "--fail-on", "broken"]).ends(1);
    let complaint =
        |words: &[&str]| stage.run(&[&["arrivals", "access.log"], words].concat()).ends(2).err;
    assert!(complaint(&["--element", "a"]).contains("--element selects links, but a log has none"));
    assert!(complaint(&["--verdict", "broken"]).contains("Add --check."));
    assert!(complaint(&["--check"]).contains("--as https://www.example.test/"));
    assert!(complaint(&["--sort", "robot"]).contains("Did you mean robots?"));
}

#[test]
fn several_logs_compressed_or_truncated_count_as_far_as_possible() {
    let stage = Stage::new(&site("a.test", &[("/", page(""))]));
    let line = |path: &str| {
        format!(
            "192.0.2.1 - - [28/Nov/2026:06:00:00 +0000] \"GET {path} HTTP/1.1\" 404 9 \"-\" \"X\"\n"
        )
    };
    let mut packed = GzEncoder::new(Vec::new(), Compression::none());
    for number in 0..2000 {
        packed.write_all(line(&format!("/{}", number % 7)).as_bytes()).unwrap();
    }
    let packed = packed.finish().unwrap();
    fs::write(stage.path("one.gz"), &packed).unwrap();
    fs::write(stage.path("truncated.gz"), &packed[..packed.len() / 2]).unwrap();
    fs::write(stage.path("two.log"), line("/0") + &line("/x")).unwrap();
    fs::write(stage.path("empty.log"), "").unwrap();
    fs::write(stage.path("long.log"), [&vec![b'x'; 3 << 20], line("/y").as_bytes()].concat())
        .unwrap();
    let outcome = stage.run(&["arrivals", "one.gz", "two.log"]).ends(0);
    assert!(outcome.out.contains("one.gz, two.log  2,002 lines"), "{outcome}");
    assert!(outcome.out.contains("8 URLs missing: 2,002 requests by people"), "{outcome}");
    let outcome = stage.run(&["arrivals", "truncated.gz"]).ends(3);
    assert!(outcome.err.contains("the gzip data ends early"), "{outcome}");
    assert!(outcome.out.contains("7 URLs missing"), "{outcome}");
    let outcome = stage.run(&["arrivals", "empty.log"]).ends(3);
    assert!(outcome.err.contains("empty.log is empty"), "{outcome}");
    let outcome = stage.run(&["arrivals", "long.log"]).ends(3);
    assert!(outcome.err.contains("no line is in Common or Combined Log Format"), "{outcome}");
    let outcome = stage.run(&["arrivals", "nowhere.log"]).ends(2);
    assert!(outcome.err.contains("cannot read nowhere.log"), "{outcome}");
}
