//! `rummage page`: the links on single pages, published or not.

use std::fs;
use std::process::Stdio;

use rummage_demo::{Scenario, Tls, museum};

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};
use crate::running::Running;

fn linking_page(html: &str) -> Scenario {
    let home = page("<a href=/news>n</a><a href=/old>o</a>");
    let news = page(&format!("<footer><a href=/lost>l</a></footer>{html}"));
    site(
        "a.test",
        &[
            ("/", home),
            ("/news", news),
            ("/sound", page("")),
            ("/alone", page("<a href=/no>n</a>")),
        ],
    )
}

#[test]
fn a_page_of_an_unknown_site_is_checked_alone_in_source_order() {
    let stage = Stage::new(&linking_page("<a href=/sound>s</a><a href=/gone>g</a>"));
    let outcome = stage.run(&["page", "http://a.test/news"]).ends(1);
    assert!(outcome.out.contains("3 links: 2 broken, 0 doubtful, 0 moved, 1 sound\n"), "{outcome}");
    assert!(
        outcome.out.find("http://a.test/lost") < outcome.out.find("http://a.test/gone"),
        "{outcome}"
    );
    let mut requests: Vec<String> =
        stage.web.requests().into_iter().map(|requests| requests.path).collect();
    requests.retain(|path| !path.contains("rummage-nonexistent") && path != "/robots.txt");
    requests.sort();
    requests.dedup();
    assert_eq!(requests, ["/gone", "/lost", "/news", "/sound"], "nothing else of the site");
}

#[test]
fn in_a_known_site_new_links_are_marked_and_everything_else_is_kept() {
    let one = Stage::new(&linking_page("<a href=/gone>g</a>"));
    let store = one.path("store.db").display().to_string();
    one.run(&["crawl", "http://a.test", "--store", &store]).ends(1);
    let two = Stage::new(&linking_page("<a href=/sound>s</a><a href=/typo>t</a>"));
    let words = ["page", "http://a.test/news", "--store", &store];
    let outcome = two.run(&words).ends(1);
    assert!(
        outcome.out.contains("2 broken, 0 doubtful, 0 moved, 1 sound; 1 new since run 1"),
        "{outcome}"
    );
    assert!(outcome.out.contains("http://a.test/typo  404 Not Found  new\n"), "{outcome}");
    assert!(outcome.out.contains("http://a.test/lost  404 Not Found\n"), "{outcome}");
    assert!(!two.web.requests().iter().any(|requests| requests.path == "/old"), "it stands");
    let found = two.run(&["findings", "--store", &store]).ends(0);
    assert!(
        found.out.contains("http://a.test/old\n") && found.out.contains("page, run 2"),
        "{found}"
    );
    assert!(!found.out.contains("http://a.test/gone\n"), "its link was taken out: {found}");
    two.run(&[&words[..], &["--fail-on", "new"]].concat()).ends(0);
    // A page without links to it belongs to the site all the same.
    let outcome = two.run(&["page", "http://a.test/alone", "--store", &store]).ends(1);
    assert!(outcome.out.contains("http://a.test/no  404 Not Found  new"), "{outcome}");
    let outcome = two.run(&["page", "http://a.test/nowhere", "--store", &store]).ends(1);
    assert!(outcome.out.contains("broken  404 Not Found"), "{outcome}");
}

fn piped(stage: &Stage, words: &[&str], text: &str) -> Outcome {
    let mut running = Running::start(words, stage.command(words).stdin(Stdio::piped()));
    running.write(text);
    running.end()
}

#[test]
fn a_draft_is_checked_at_its_future_url_and_not_stored() {
    let stage = Stage::new(&museum());
    let draft = "<title>Draft</title>\n<p id=top><a href=../visit/>fine</a>\n<a href=../visti/>typo</a>\
        <a href=#top>top</a><a href=#nope>no</a>";
    let at = "https://www.ashlock-canal.test/news/";
    let words = ["page", "-", "--as", at, "--timeout", "500ms"];
    let outcome = piped(&stage, &words, draft).ends(1);
    assert!(outcome.out.contains("4 links: 2 broken, 0 doubtful, 0 moved, 2 sound\n"), "{outcome}");
    assert!(
        outcome.out.contains("  3:1      broken   https://www.ashlock-canal.test/visti/"),
        "{outcome}"
    );
    assert!(!stage.path("store.db").exists());

    fs::write(stage.path("draft.html"), draft).unwrap();
    let words = ["page", "draft.html", "--as", at, "--timeout", "500ms"];
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.out.contains("           draft.html:3:1\n"), "{outcome}");
    let rows = stage.run(&[&words[..], &["--format", "jsonl"]].concat()).ends(1).json();
    let targets: Vec<&str> = rows.iter().map(|row| row["target"].as_str().unwrap()).collect();
    assert_eq!(
        targets,
        ["https://www.ashlock-canal.test/visti/", "https://www.ashlock-canal.test/news/#nope"]
    );
}

#[test]
fn mistakes_with_drafts_are_explained() {
    let stage = Stage::new(&linking_page(""));
    fs::write(stage.path("draft.html"), "").unwrap();
    let complaint = |words: &[&str]| stage.run(words).ends(2).err;
    let outcome = complaint(&["page", "draft.html"]);
    assert!(
        outcome.contains("rummage page draft.html --as https://www.example.test/"),
        "{outcome}"
    );
    let outcome = complaint(&["page", "draft.html", "--as", "http://a.test/x"]);
    assert!(outcome.contains("draft.html is empty"), "{outcome}");
    let outcome = complaint(&["page", "http://a.test/", "--as", "http://a.test/x"]);
    assert!(outcome.contains("--as is only for a draft"), "{outcome}");
    let outcome = complaint(&["page", "draft.html", "http://a.test/", "--as", "http://a.test/x"]);
    assert!(outcome.contains("must be the only page"), "{outcome}");
    stage.run(&["page"]).ends(2);
}

#[test]
fn a_host_without_a_scheme_is_tried_over_http_too() {
    let mut scenario = linking_page("<a href=/gone>g</a>");
    scenario.hosts.get_mut("a.test").unwrap().tls = Tls::Plain;
    let stage = Stage::new(&scenario);
    let words = ["page", "a.test/news", "--attempts", "1"];
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.out.contains("http://a.test/news") && outcome.out.contains("/gone"));
    // Once the site is known over http, it is looked up there.
    stage.run(&["crawl", "http://a.test/", "-q"]).ends(1);
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.out.contains("http://a.test/news") && outcome.out.contains("/gone"));
    assert!(!outcome.out.contains("https://"), "{outcome}");
}

#[test]
fn a_page_alone_need_not_have_links() {
    let stage = Stage::new(&linking_page(""));
    stage.run(&["page", "http://a.test/sound"]).ends(0);
    fs::write(stage.path("draft.html"), "<p>No links yet").unwrap();
    stage.run(&["page", "draft.html", "--as", "http://a.test/draft"]).ends(0);
}
