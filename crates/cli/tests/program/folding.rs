//! Links shared by many pages: one line, one edit; and links that only look shared.

use rummage_demo::Scenario;
use serde_json::Value;

use crate::harness::Stage;
use crate::options::{page, site};

/// Six pages in two folders, with a menu of relative links that marks the current entry, a footer
/// that is worded in two ways, and the same link in the text of two pages.
fn templated() -> Scenario {
    let names = ["one", "two", "three", "deep/four", "deep/five"];
    let html = |own: &str| {
        let up = if own.starts_with("deep/") { "../" } else { "" };
        let entry = |name: &&str| {
            let link = format!("<a href={up}{name}>{name}</a>");
            if *name == own {
                format!("<li class=on><strong>{link}</strong>")
            } else {
                format!("<li>{link}")
            }
        };
        let menu: String = names.iter().map(entry).collect();
        let gone = format!("<li><a href={up}gone rel=nofollow>Rota</a>");
        let text = match own {
            "one" | "two" => "<a href=/gone>Rota</a>",
            _ => "",
        };
        let note = if own == "three" { "<p><a href=/gone>Rota</a></p>" } else { "" };
        format!(
            "<title>{own}</title><nav><ul>{menu}{gone}</ul></nav><main><p>{text}</p></main>
             <footer><div><a href=/lost>More</a></div><div><a href=/away>More</a></div>{note}
             </footer>"
        )
    };
    let mut paths: Vec<(String, _)> =
        names.iter().map(|name| (format!("/{name}"), page(&html(name)))).collect();
    paths.push(("/".to_owned(), page(&html(""))));
    let paths: Vec<(&str, _)> = paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    site("a.test", &paths)
}

fn crawled() -> Stage {
    let stage = Stage::new(&templated());
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage
}

#[test]
fn a_relative_menu_with_a_marked_entry_folds_to_one_line() {
    let stage = crawled();
    let outcome = stage.run(&["findings", "--target", "/gone"]).ends(0);
    let lines: Vec<&str> =
        outcome.out.lines().filter(|line| line.contains("\"Rota\"")).map(str::trim).collect();
    assert_eq!(lines.len(), 4, "{outcome}");
    assert!(lines[0].starts_with("on 6 of 6 pages, in nav, one edit: a \"Rota\""), "{outcome}");
    assert!(outcome.out.contains("also on http://a.test/one, http://a.test/two\n"), "{outcome}");
    // The same words in the text of two pages take two edits, in a footer one.
    assert_eq!(lines[1..].iter().filter(|line| line.contains("in main")).count(), 2, "{outcome}");
    assert_eq!(lines[1..].iter().filter(|line| line.contains("in footer")).count(), 1, "{outcome}");
    let unfolded = stage.run(&["findings", "--target", "/gone", "--unfold"]).ends(0);
    assert_eq!(unfolded.out.matches("\"Rota\"").count(), 9, "{unfolded}");
    assert!(!unfolded.out.contains("one edit"), "{unfolded}");
}

#[test]
fn two_links_with_equal_text_and_different_targets_are_two() {
    let stage = crawled();
    let outcome = stage.run(&["findings", "--text", "more"]).ends(0);
    assert_eq!(outcome.out.matches("on 6 of 6 pages, in footer, one edit: a \"More\"").count(), 2);
    let shared = |target: &str| -> Vec<u64> {
        let words = ["findings", "--target", target, "--format", "jsonl"];
        let lines = stage.run(&words).ends(0).json();
        lines.iter().map(|line| line["shared"].as_u64().unwrap()).collect()
    };
    assert_eq!(shared("/lost"), [6; 6]);
    let mut rota = shared("/gone");
    rota.sort_unstable();
    assert_eq!(rota, [1, 2, 2, 6, 6, 6, 6, 6, 6]);
}

#[test]
fn shared_links_come_once_when_grouped_by_page() {
    let stage = crawled();
    let outcome = stage.run(&["findings", "--group", "page"]).ends(0);
    let many = outcome.out.split("On many pages").nth(1).unwrap();
    let (shared, pages) = many.split_once("\n\nhttp://a.test/").unwrap();
    assert_eq!(shared.matches("on 6 of 6 pages").count(), 3, "{outcome}");
    assert_eq!(pages.matches("\"Rota\"").count(), 3, "{outcome}");
    let sorted = stage.run(&["findings", "--group", "page", "--sort", "page:desc"]).ends(0);
    let at = |page: &str| sorted.out.find(&format!("\nhttp://a.test/{page}  ")).unwrap();
    assert!(at("two") < at("three") && at("three") < at("one"), "{sorted}");
    let trace = stage.run(&["trace", "http://a.test/gone"]).ends(0);
    assert!(trace.out.contains("9 links on 6 pages"), "{trace}");
    let one_edit = "on 6 of 6 pages, one edit: <a href=\"gone\" rel=\"nofollow\">Rota</a>";
    assert!(trace.out.contains(one_edit), "{trace}");
}

#[test]
fn the_fingerprint_is_the_same_in_a_later_run() {
    let stage = crawled();
    let first: Vec<Value> = stage.run(&["findings", "--format", "jsonl"]).ends(0).json();
    stage.run(&["crawl", "http://a.test", "-q", "--fail-on", "new"]).ends(0);
    let second: Vec<Value> = stage.run(&["findings", "--format", "jsonl"]).ends(0).json();
    let brief = |lines: &[Value]| -> Vec<(String, Value)> {
        let brief =
            |line: &Value| (format!("{}{}", line["page"], line["line"]), line["shared"].clone());
        lines.iter().map(brief).collect()
    };
    assert_eq!(brief(&first), brief(&second));
    assert!(first.iter().all(|line| line["standing"] == "new"));
    assert!(second.iter().all(|line| line["standing"] == "open"));
    assert_eq!(first[0]["first_seen"], second[0]["first_seen"]);
}
