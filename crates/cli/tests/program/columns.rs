//! The columns of rows: their order, as `docs/columns.md` has it, and the values of some.

use std::path::Path;

use serde_json::{Value, json};

use crate::harness::Stage;
use crate::options::{page, site};

const SETTINGS: &str = "[site.a]\nstart = \"http://a.test\"\n\
                        editor-link = \"https://cms.test/edit{path}\"\n";

/// A link with a title to a missing page, and one to a described page.
fn crawled() -> Stage {
    let links = "<a href=/gone title='  The\n lost page '>lost</a><a href=/described>d</a>";
    let described = page("<meta name=Description content=' Boats\n and locks '>")
        .with("Last-Modified", "Tue, 03 Mar 2026 07:00:00 GMT");
    let paths = [("/", page(links)), ("/described", described)];
    let stage = Stage::new(&site("a.test", &paths));
    std::fs::write(stage.path("rummage.toml"), SETTINGS).unwrap();
    stage.run(&["crawl", "-q"]).ends(1);
    stage
}

#[test]
fn the_docs_have_every_column_in_order() {
    let stage = crawled();
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/columns.md");
    let docs = std::fs::read_to_string(file).unwrap();
    let (_, links) = docs.split_once("## A link").unwrap();
    let (links, targets) = links.split_once("## A target").unwrap();
    for (group, docs) in [("none", links), ("target", targets)] {
        let names = docs.lines().filter_map(|line| line.strip_prefix("| `")?.split('`').next());
        let names = names.collect::<Vec<_>>().join(",");
        let words = ["findings", "--group", group, "--format", "csv"];
        let csv = stage.run(&words).ends(0).out;
        assert_eq!(csv.lines().next(), Some(names.as_str()), "{group}");
    }
}

#[test]
fn rows_have_texts_of_page_and_link() {
    let stage = crawled();
    let row = |words: &[&str], target: &str| {
        let words = [&["findings", "--all", "--format", "jsonl"], words].concat();
        let rows = stage.run(&words).ends(0).json();
        let row = rows.into_iter().find(|row| row["target"] == target);
        row.unwrap_or_else(|| panic!("no row of {target}"))
    };
    let pick = |row: &Value, keys: [&str; 4]| keys.map(|key| row[key].clone());
    let lost = row(&[], "http://a.test/gone");
    let keys = ["attempts", "page_title", "link_title", "edit"];
    let expected =
        [json!(2), json!("Home"), json!("The lost page"), json!("https://cms.test/edit/")];
    assert_eq!(pick(&lost, keys), expected);
    assert!(lost["ms"].as_u64().is_some(), "{lost}");
    let described = row(&["--group", "target"], "http://a.test/described");
    let keys = ["description", "modified", "places", "edit"];
    let expected = [
        json!("Boats and locks"),
        json!("Tue, 03 Mar 2026 07:00:00 GMT"),
        json!(["http://a.test/ 2:22"]),
        json!("https://cms.test/edit/"),
    ];
    assert_eq!(pick(&described, keys), expected);
    // A second run that restores an unchanged page keeps its texts.
    stage.run(&["crawl", "-q"]).ends(1);
    let again = row(&["--group", "target"], "http://a.test/described");
    assert_eq!(again["description"], described["description"]);
    assert_eq!(row(&[], "http://a.test/gone")["link_title"], "The lost page");
}
