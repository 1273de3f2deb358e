//! Selections, one file for each owner or folder, and reports that are cut.

use std::collections::BTreeSet;
use std::fs;

use rummage_demo::museum;

use super::agreement::data;
use crate::harness::Stage;
use crate::options::{page, site};

fn crawled() -> Stage {
    let pages = "<a href=/>home</a><a href=/lost>l</a>";
    let paths = [
        (
            "/",
            page(
                "<a href=/news/>n</a><a href=/news/press/>p</a><a href=/shop/>s</a><a href=/x>x</a>",
            ),
        ),
        ("/news/", page(pages)),
        ("/news/press/", page(pages)),
        ("/shop/", page("<a href=/>home</a>")),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage
}

/// The pages in a report as CSV.
fn pages(stage: &Stage, name: &str) -> Vec<String> {
    let text = fs::read_to_string(stage.path(name)).unwrap();
    let mut table = csv::Reader::from_reader(text.as_bytes());
    let at = table.headers().unwrap().iter().position(|name| name == "page").unwrap();
    table.records().map(|record| record.unwrap()[at].to_owned()).collect()
}

#[test]
fn each_owner_gets_a_file_and_no_link_is_lost() {
    let stage = crawled();
    let routes = "\"/news/press/*\" = \"Ben Ash\"\n\"/news/*\" = \"Ann\"\n\"/shop/*\" = \"Cy\"\n";
    fs::write(stage.path("owners.toml"), routes).unwrap();
    let outcome = stage.run(&["report", "-o", "r.csv", "--route", "owners.toml"]).ends(0);
    assert_eq!(pages(&stage, "r-ben-ash.csv"), ["http://a.test/news/press/"]);
    assert_eq!(pages(&stage, "r-ann.csv"), ["http://a.test/news/"]);
    assert_eq!(pages(&stage, "r-cy.csv"), [""; 0], "one with nothing to fix sees that");
    assert_eq!(pages(&stage, "r-rest.csv"), ["http://a.test/"]);
    assert!(outcome.err.contains("no rows in r-cy.csv"), "{outcome}");
    stage.run(&["report", "-o", "r.html", "--route", "owners.toml"]).ends(0);
    let html = fs::read_to_string(stage.path("r-ben-ash.html")).unwrap();
    assert!(html.contains("those on the pages of Ben Ash."), "{html}");
    // In JUnit XML, pages of others are not among the test cases.
    stage.run(&["report", "-o", "r.xml", "--route", "owners.toml"]).ends(0);
    let xml = fs::read_to_string(stage.path("r-ann.xml")).unwrap();
    assert!(xml.contains("tests=\"2\"") && !xml.contains("/shop/"), "{xml}");
}

#[test]
fn each_folder_gets_a_file_and_no_link_is_lost() {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    stage.run(&["report", "-o", "all.csv"]).ends(0);
    stage.run(&["report", "-o", "f.csv", "--by-folder"]).ends(0);
    let mut all = pages(&stage, "all.csv");
    let mut parts = Vec::new();
    for file in fs::read_dir(stage.folder.path()).unwrap() {
        let name = file.unwrap().file_name().into_string().unwrap();
        if name.starts_with("f-") {
            let pages = pages(&stage, &name);
            let folders: BTreeSet<&str> =
                pages.iter().map(|page| page.split('/').nth(3).unwrap()).collect();
            assert!(folders.len() == 1 || name == "f-top.csv", "{name}: {folders:?}");
            parts.extend(pages);
        }
    }
    all.sort_unstable();
    parts.sort_unstable();
    assert_eq!(all, parts);
}

#[test]
fn routes_that_cannot_be_used_are_an_error() {
    let stage = crawled();
    fs::write(stage.path("owners.toml"), "\"/news/*\" = 7\n").unwrap();
    for (words, error) in [
        (&["-o", "r.csv", "--route", "owners.toml"][..], "\"/news/*\" names no owner"),
        (&["-o", "r.csv", "--route", "none.toml"], "cannot use --route none.toml"),
        (&["--format", "csv", "--by-folder"], "several reports need the name of a file"),
        (&["-o", "r.csv", "--by-folder", "--route", "owners.toml"], "cannot be used with"),
    ] {
        let outcome = stage.run(&[&["report"], words].concat()).ends(2);
        assert!(outcome.err.contains(error), "{error} in {outcome}");
    }
}

#[test]
fn selections_apply_to_reports() {
    let stage = crawled();
    for name in ["r.html", "r.sarif", "r.xml"] {
        stage.run(&["report", "-o", name, "--page", "/news/*"]).ends(0);
    }
    let html = fs::read_to_string(stage.path("r.html")).unwrap();
    assert_eq!(data(&html)["targets"][0][0], "http://a.test/lost");
    assert_eq!(data(&html)["targets"].as_array().unwrap().len(), 1);
    assert!(html.contains("The findings are a selection."), "{html}");
    let sarif = fs::read_to_string(stage.path("r.sarif")).unwrap();
    assert_eq!(sarif.matches("\"ruleId\"").count(), 2, "{sarif}");
    let xml = fs::read_to_string(stage.path("r.xml")).unwrap();
    assert!(xml.contains("tests=\"3\"") && !xml.contains("name=\"http://a.test/shop/\""), "{xml}");
    let outcome = stage.run(&["report", "-o", "r.csv", "--fail-on", "broken"]).ends(1);
    assert!(outcome.err.ends_with("3 rows in r.csv\n"), "{outcome}");
}

/// A page with more links than a report can have.
#[test]
fn a_report_that_is_cut_says_so_and_has_a_table_beside_it() {
    let links: String = (0..10_100).map(|number| format!("<a href=/{number}>n</a>")).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    stage.run(&["crawl", "http://a.test", "-q", "--max-urls", "20000"]).ends(1);
    let outcome = stage.run(&["report", "-o", "r.html"]).ends(0);
    assert!(outcome.err.contains("10,000 of 10,100 links in r.html\n"), "{outcome}");
    let html = fs::read_to_string(stage.path("r.html")).unwrap();
    let note = "This report has 10,000 of 10,100 links. All are in r-links.csv.";
    assert!(html.contains(note), "{}", &html[..2000]);
    assert!(html.len() < 3_000_000, "{}", html.len());
    assert_eq!(data(&html)["targets"].as_array().unwrap().len(), 10_000);
    assert_eq!(pages(&stage, "r-links.csv").len(), 10_100);
}

/// A table of what a limit leaves out is not wanted.
#[test]
fn a_limit_writes_no_table() {
    let stage = crawled();
    for name in ["r.html", "r.sarif"] {
        let outcome = stage.run(&["report", "-o", name, "--limit", "1"]).ends(0);
        assert!(outcome.err.contains(" of 3 links in "), "{outcome}");
        assert!(!stage.path("r-links.csv").exists(), "{name}");
    }
}

/// However long its URLs are, a report stays small.
#[test]
fn a_report_of_very_long_urls_is_cut_by_its_size() {
    let long = "z".repeat(1900);
    let links: String = (0..4000).map(|at| format!("<a href=/{at}/{long}>n</a>")).collect();
    let paths = [("/", page(&links)), ("/x", page(""))];
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let outcome = stage.run(&["report", "-o", "r.html"]).ends(0);
    assert!(outcome.err.contains(" of 4,000 links in r.html\n"), "{outcome}");
    let html = fs::read_to_string(stage.path("r.html")).unwrap();
    assert!(html.len() < 3_000_000, "{}", html.len());
    assert!(data(&html)["targets"].as_array().unwrap().len() > 1000);
    assert_eq!(pages(&stage, "r-links.csv").len(), 4000);
}

#[test]
fn more_folders_than_anyone_looks_after_are_an_error() {
    let folders: Vec<String> = (0..201).map(|at| format!("/f{at}/")).collect();
    let home = page(&folders.iter().map(|at| format!("<a href={at}>f</a>")).collect::<String>());
    let mut paths: Vec<(&str, rummage_demo::Act)> =
        folders.iter().map(|at| (at.as_str(), page("<a href=/gone>g</a>"))).collect();
    paths.push(("/", home));
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let outcome = stage.run(&["report", "-o", "r.csv", "--by-folder"]).ends(2);
    assert!(outcome.err.contains("the pages are in 201 top folders"), "{outcome}");
}

/// Log files have no links to report on.
#[test]
fn arrivals_have_no_reports() {
    let stage = crawled();
    fs::write(stage.path("access.log"), "").unwrap();
    let outcome = stage.run(&["arrivals", "access.log", "-o", "r.html"]).ends(2);
    assert!(outcome.err.contains("--format html is about the links of a run"), "{outcome}");
    let outcome = stage.run(&["findings", "--site", "all", "-o", "r.sarif"]).ends(2);
    assert!(outcome.err.contains("--format sarif is about one run"), "{outcome}");
}

/// A list is named as its user would name it: the path of this machine is of no use to others.
#[test]
fn a_report_of_a_list_names_its_lines() {
    let stage = crawled();
    fs::write(stage.path("urls.txt"), "http://a.test/news/\n\nhttp://a.test/gone\n").unwrap();
    stage.run(&["probe", "urls.txt", "-q"]).ends(1);
    let here = stage.folder.path().display().to_string();
    for (name, place) in [
        ("r.html", "urls.txt:3"),
        ("r.md", "urls.txt:3: entry"),
        ("r.xml", "<testcase name=\"urls.txt\""),
        ("r.sarif", "{\"uri\":\"urls.txt\"},\"region\":{\"startColumn\":1,\"startLine\":3}"),
        ("r.txt", "urls.txt:3"),
    ] {
        stage.run(&["report", "-o", name, "--site", "./urls.txt"]).ends(0);
        let text = fs::read_to_string(stage.path(name)).unwrap();
        assert!(text.contains(place), "{place} in {text}");
        assert!(!text.contains(&here), "{name}: {text}");
    }
}
