//! The effect of each option.

use std::collections::BTreeMap;

use rummage_demo::{Act, Answer, Host, Scenario, generated, museum};

use crate::harness::Stage;
use crate::running::finish;

/// A site with these pages on one host.
pub(crate) fn site(host: &str, paths: &[(&str, Act)]) -> Scenario {
    let paths = paths.iter().map(|(path, act)| ((*path).to_owned(), act.clone())).collect();
    let hosts = BTreeMap::from([(host.to_owned(), Host { paths, ..Host::default() })]);
    Scenario { start: format!("http://{host}/"), hosts, truth: Vec::new(), pages: Vec::new() }
}

pub(crate) fn page(html: &str) -> Act {
    Act::page(format!("<!DOCTYPE html><title>Home</title>{html}"))
}

#[test]
fn externals_can_be_noted_and_the_run_ends_well() {
    let scenario = site("a.test", &[("/", page("<a href='http://b.test/'>b</a>"))]);
    let stage = Stage::new(&scenario);
    let outcome = stage.run(&["crawl", "http://a.test", "--externals", "note", "--all"]).ends(0);
    assert!(outcome.out.contains("1 not checked: 1 external"), "{outcome}");
    stage.run(&["crawl", "http://a.test", "--timeout", "500ms"]).ends(1);
}

#[test]
fn depth_pages_and_rules_limit_the_crawl() {
    let links = "<a href=/one>1</a><a href=/two>2</a><a href=/print/one>p</a>";
    let paths = [
        ("/", page(links)),
        ("/one", page("<a href=/deep>d</a>")),
        ("/two", page("")),
        ("/print/one", page("<a href=/gone>g</a>")),
        ("/deep", page("<a href=/deeper>d</a>")),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    let outcome =
        stage.run(&["crawl", "http://a.test", "--depth", "0", "--fail-on", "never"]).ends(0);
    assert!(outcome.out.contains("3 links to 3 targets on 1 page\n"), "{outcome}");
    assert!(outcome.out.contains("3 pages not parsed for links"), "{outcome}");
    let outcome = stage.run(&["crawl", "http://a.test", "--max-pages", "2"]).ends(0);
    assert!(outcome.out.contains(" on 2 pages"), "{outcome}");
    assert!(outcome.out.contains("3 over --max-pages"), "{outcome}");
    let words = ["crawl", "http://a.test", "--exclude", "/print/*", "--exclude", "deep*"];
    let outcome = stage.run(&words).ends(0);
    assert!(outcome.out.contains("2 not checked: 2 excluded"), "{outcome}");
    let words = ["crawl", "http://a.test", "--exclude", "/print/*", "--include", "/print/o*"];
    stage.run(&words).ends(1);
}

#[test]
fn the_default_store_is_in_the_data_folder() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    let words = ["crawl", "http://a.test/#top"];
    let mut command = stage.command(&words);
    command.env_remove("RUMMAGE_STORE").env("XDG_DATA_HOME", stage.path("data"));
    finish(&words, &mut command).ends(0);
    assert!(stage.path("data/rummage/rummage.db").exists());
}

#[test]
fn the_first_line_says_that_a_path_does_not_limit_the_crawl() {
    let stage =
        Stage::new(&site("a.test", &[("/deep/", page("<a href=/>home</a>")), ("/", page(""))]));
    let outcome = stage.run(&["crawl", "http://a.test/deep/"]).ends(0);
    assert!(
        outcome.err.contains("; the path of the start URL does not limit the crawl"),
        "{outcome}"
    );
    assert!(outcome.out.contains(" on 2 pages"), "{outcome}");
}

#[test]
fn a_block_shows_five_occurrences_and_counts_the_rest() {
    let links: String = (0..8).map(|number| format!("<a href=/gone>to {number}</a>\n")).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(1);
    assert!(outcome.out.contains("\"to 4\"") && !outcome.out.contains("\"to 5\""), "{outcome}");
    assert!(
        outcome.out.contains("and 3 more occurrences: --unfold, or rummage trace"),
        "{outcome}"
    );
    let outcome = stage.run(&["trace", "/gone"]).ends(0);
    assert!(
        outcome.out.contains("8 links on 1 page") && outcome.out.contains(">to 7</a>"),
        "{outcome}"
    );
}

#[test]
fn no_all_clear_for_what_was_not_checked() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/in>i</a>")), ("/in", page(""))]));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(0);
    assert!(
        outcome.out.ends_with("\nNothing that was checked is broken, doubtful or moved.\n"),
        "{outcome}"
    );
    let outcome = stage.run(&["findings", "--verdict", "doubtful"]).ends(0);
    assert!(outcome.out.ends_with("Try --all to include sound and skipped links.\n"), "{outcome}");
}

#[test]
fn links_from_a_public_site_into_private_networks_are_not_requested() {
    let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let html = format!("<a href='http://127.0.0.1:{port}/'>x</a><a href=/in>in</a>");
    let to_private = Act::redirect(302, "http://169.254.169.254/latest/meta-data/");
    let stage = Stage::new(&site("a.test", &[("/", page(&html)), ("/in", to_private)]));
    let outcome = stage.run(&["crawl", "http://a.test", "--format", "jsonl"]).ends(1);
    let seen: Vec<String> = outcome
        .json()
        .iter()
        .map(|line| format!("{} {}", line["verdict"], line["cause"]).replace('"', ""))
        .collect();
    assert_eq!(seen, ["broken private-address", "broken private-address"], "{outcome}");
    let words = ["crawl", "http://a.test", "--allow-private", "--timeout", "500ms"];
    let outcome = stage.run(&[&words[..], &["--exclude", "/in"]].concat()).ends(1);
    assert!(outcome.out.contains("connection refused"), "{outcome}");
}

#[test]
fn a_redirected_start_url_is_followed_and_reported() {
    let mut scenario = site("old.test", &[("/", Act::redirect(301, "http://new.test/home"))]);
    scenario
        .hosts
        .extend(site("new.test", &[("/home", page("<a href=/in>i</a>")), ("/in", page(""))]).hosts);
    let stage = Stage::new(&scenario);
    let outcome = stage.run(&["crawl", "http://old.test"]).ends(0);
    assert!(
        outcome.err.contains(
            "http://old.test redirects to http://new.test/home, which is crawled as the site"
        ),
        "{outcome}"
    );
    assert!(outcome.out.contains(" on 2 pages"), "{outcome}");
}

#[test]
fn attempts_and_rate_are_obeyed() {
    let failing = Act::status(503);
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/x>x</a>")), ("/x", failing)]));
    let words =
        ["crawl", "http://a.test", "--attempts", "1", "--rate", "20/s", "--per-host", "1", "-v"];
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.out.contains("GET: 503"), "{outcome}");
    assert!(outcome.err.contains("GET http://a.test/x 503"), "{outcome}");
    assert_eq!(stage.web.requests().iter().filter(|requests| requests.path == "/x").count(), 1);
}

#[test]
fn fail_on_says_what_counts() {
    let refused = Act::Answer(Answer { status: 401, ..Answer::default() });
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/x>x</a>")), ("/x", refused)]));
    stage.run(&["crawl", "http://a.test"]).ends(0);
    stage.run(&["findings", "--fail-on", "doubtful"]).ends(1);
    stage.run(&["findings", "--fail-on", "broken"]).ends(0);
}

#[test]
fn trace_shows_one_url_and_reports_when_none_matches() {
    let scenario = generated(9);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", &scenario.start, "--timeout", "500ms"]).ends(1);
    let target = &scenario.truth.last().unwrap().target;
    let outcome = stage.run(&["trace", target, "--format", "jsonl"]).ends(0);
    assert_eq!(outcome.json().len(), scenario.pages.len());
    assert!(outcome.json().iter().all(|line| line["target"] == target.as_str()));
    let outcome = stage.run(&["trace", "nowhere-at-all"]).ends(2);
    assert!(outcome.err.contains("run 1 has no URL with \"nowhere-at-all\" in it"), "{outcome}");
}

#[test]
fn a_second_run_shows_how_long_the_first_took() {
    let stage = Stage::new(&museum());
    let words = ["crawl", "www.ashlock-canal.test", "--max-pages", "1", "--externals", "note"];
    stage.run(&words).ends(1);
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.err.contains("; took "), "{outcome}");
    assert!(outcome.out.contains("run 2, "), "{outcome}");
}

#[test]
fn redirects_are_followed_up_to_the_limit() {
    let paths: Vec<(String, Act)> =
        (0..6).map(|n| (format!("/r{n}"), Act::redirect(302, &format!("/r{}", n + 1)))).collect();
    let mut paths: Vec<(&str, Act)> =
        paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    paths.extend([("/", page("<a href=/r0>r</a>")), ("/r6", page(""))]);
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "--hops", "6"]).ends(0);
    let outcome = stage.run(&["crawl", "http://a.test", "--hops", "5"]).ends(1);
    assert!(outcome.out.contains("too many redirects"), "{outcome}");
}

#[test]
fn external_fragments_are_checked_on_request() {
    let mut scenario = site("a.test", &[("/", page("<a href='http://b.test/#gone'>b</a>"))]);
    scenario.hosts.extend(site("b.test", &[("/", page("<p id=here>"))]).hosts);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", "http://a.test"]).ends(0);
    let outcome = stage.run(&["crawl", "http://a.test", "--fragments", "all"]).ends(1);
    assert!(
        outcome.out.contains(
            "no anchor #gone on the page  not checked for before  external\n  http://b.test/#gone"
        ),
        "{outcome}"
    );
    stage.run(&["crawl", "http://a.test", "--fragments", "none"]).ends(0);
}
