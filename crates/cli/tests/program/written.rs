//! Files: what is written to them, and what is said about it.

use std::fs;

use rummage_demo::{Act, Scenario, museum};
use serde_json::Value;

use crate::harness::{OVERLOADED, Stage};
use crate::options::{page, site};
#[cfg(target_os = "linux")]
use crate::running::on_terminal;

fn text(body: &str) -> Act {
    Act::file("text/plain", body.as_bytes().to_vec())
}

/// Two dead links, a page that robots.txt disallows, and a stylesheet.
fn a_site() -> Scenario {
    let links = "<a href=/one>1</a> <a href=/two>2</a> <a href=/private/x>p</a>\
                 <link rel=stylesheet href=/s.css>";
    site(
        "a.test",
        &[
            ("/", page(links)),
            ("/private/x", page("<a href=/>Home</a>")),
            ("/s.css", Act::file("text/css", b"p { color: red }".to_vec())),
            ("/robots.txt", text("User-agent: *\nDisallow: /private/\n")),
        ],
    )
}

#[test]
fn a_file_comes_with_totals_notes_and_the_number_of_its_rows() {
    let stage = Stage::new(&a_site());
    let outcome = stage.run(&["crawl", "http://a.test", "-o", "out.csv"]).ends(1);
    assert_eq!(outcome.out, "");
    for part in [
        "\n2 broken, 0 doubtful, 0 moved, 2 sound\n",
        "1 page not parsed for links: disallowed by robots.txt\n",
        "\n2 rows in out.csv\n",
    ] {
        assert!(outcome.err.contains(part), "{part} in {outcome}");
    }
    let rows = fs::read_to_string(stage.path("out.csv")).unwrap();
    assert_eq!(rows.lines().count(), 3, "{rows}");
    let none = ["findings", "--host", "b.test", "-o", "none.csv"];
    let outcome = stage.run(&none).ends(0);
    assert!(
        outcome.err.ends_with("nothing matches the selection: no rows in none.csv\n"),
        "{outcome}"
    );
    let outcome = stage.run(&["findings", "-o", "list.md"]).ends(0);
    assert!(outcome.err.ends_with("written to list.md\n"), "{outcome}");
    // Rows on standard output have their totals beside them, unless that is not wanted.
    let outcome = stage.run(&["findings", "--format", "csv"]).ends(0);
    assert!(outcome.err.contains("\n2 broken, "), "{outcome}");
    let outcome = stage.run(&["findings", "--format", "csv", "-q"]).ends(0);
    assert_eq!(outcome.err, "");
}

#[test]
fn files_in_the_settings_are_written_after_every_run() {
    let stage = Stage::new(&a_site());
    let toml = "[site.ay]\nstart = \"http://a.test/\"\nwrite = [\"broken.csv\"]\n";
    fs::write(stage.path("rummage.toml"), toml).unwrap();
    let file = stage.path("broken.csv");
    for (words, code) in [
        (&["crawl", "ay", "-q"][..], 1),
        (&["recheck", "http://a.test/one"], 1),
        (&["page", "http://a.test/"], 1),
    ] {
        stage.run(words).ends(code);
        let rows = fs::read_to_string(&file).unwrap();
        assert_eq!(rows.lines().count(), 3, "{words:?}: {rows}");
        fs::remove_file(&file).unwrap();
    }
    // A site that was not crawled yet is crawled in the first round.
    fs::remove_file(stage.path("store.db")).unwrap();
    stage.run(&["patrol", "--once"]).ends(0);
    assert_eq!(fs::read_to_string(&file).unwrap().lines().count(), 3);
}

/// What is compared are pages: not robots.txt, sitemaps and stylesheets.
#[test]
fn a_comparison_counts_pages_alone() {
    let (one, two) =
        (Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))])), Stage::new(&a_site()));
    let store = one.path("store.db");
    let store = store.to_str().unwrap();
    one.run(&["crawl", "http://a.test", "--store", store]).ends(0);
    two.run(&["crawl", "http://a.test", "--store", store]).ends(1);
    let outcome = two.run(&["compare", "--store", store]).ends(0);
    assert!(!outcome.out.contains("robots.txt") && !outcome.out.contains(" new: "), "{outcome}");
}

/// On a terminal, the worst fifty are listed, and the counts come again below them.
#[cfg(target_os = "linux")]
#[test]
fn a_crawl_on_a_terminal_lists_the_worst_and_its_counts_at_the_end() {
    let links: String = (0..60).map(|n| format!("<a href=/gone{n}>{n}</a> ")).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    let shown = on_terminal(&mut stage.command(&["crawl", "http://a.test"]));
    let end = shown.rfind("50 of 60 targets shown: --limit").unwrap_or_else(|| panic!("{shown}"));
    let counts = shown.rfind("60 broken").expect("the counts come again");
    assert!(counts > end && shown[end..].contains("fewer: --limit 20"), "{shown}");
    let mut all = stage.command(&["findings"]);
    assert!(!on_terminal(&mut all).contains("targets shown"), "a query lists all");
}

#[test]
fn notes_are_objects_for_programs_that_read_json() {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    let text = stage.run(&["findings", "--format", "csv"]).ends(0);
    let is_note = |line: &&str| line.starts_with("note  ") && !line.contains(OVERLOADED);
    assert_eq!(text.err.lines().filter(is_note).count(), 3, "{text}");
    for format in ["json", "jsonl"] {
        let outcome = stage.run(&["findings", "--format", format]).ends(0);
        let lines = outcome.err.lines().filter(|line| !line.contains(OVERLOADED));
        let objects: Vec<Value> =
            lines.filter_map(|line| serde_json::from_str(line).ok()).collect();
        let kinds: Vec<&str> = objects.iter().filter_map(|note| note["note"].as_str()).collect();
        assert_eq!(kinds, ["rendered-by-script", "rendered-by-script", "trap"], "{outcome}");
        let trap = &objects[2];
        assert!(trap["url"].as_str().unwrap().ends_with("/attic/maps/maps/maps/maps/"), "{trap}");
        assert!(trap["text"].as_str().unwrap().contains("--exclude '*/maps/*/maps/*'"), "{trap}");
        assert!(!outcome.err.contains("note  "), "{outcome}");
        assert!(outcome.err.contains(" broken, "), "totals stay: {outcome}");
    }
}
