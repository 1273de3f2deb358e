//! Where a crawl begins, when that is not simply one URL.

use std::fs;

use rummage_demo::{Act, Scenario};

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::Running;

fn two_sites() -> Scenario {
    let mut both = site("a.test", &[("/", page("<a href=/none>x</a>"))]);
    both.hosts.extend(site("b.test", &[("/", page("<a href=/>Home</a>"))]).hosts);
    both
}

const SETTINGS: &str =
    "[site.locks]\nstart = \"http://a.test/\"\n[site.boats]\nstart = \"http://b.test/\"\n";

#[test]
fn two_sites_of_the_settings_are_two_crawls() {
    let stage = Stage::new(&two_sites());
    fs::write(stage.path("rummage.toml"), SETTINGS).unwrap();
    let outcome = stage.run(&["crawl", "locks", "boats"]).ends(1);
    assert!(outcome.out.contains("a.test  run 1") && outcome.out.contains("b.test  run 2"));
    stage.run(&["crawl", "boats", "locks", "-q"]).ends(1);
    // Two URLs are one site.
    let outcome = stage.run(&["crawl", "http://a.test/", "http://b.test/"]).ends(1);
    assert!(outcome.out.contains(" on 2 pages\n"), "{outcome}");
}

#[test]
fn a_word_that_is_no_host_may_be_a_misspelled_site() {
    let stage = Stage::new(&two_sites());
    fs::write(stage.path("rummage.toml"), SETTINGS).unwrap();
    let outcome = stage.run(&["crawl", "lokcs"]).ends(4);
    let hint = "Did you mean locks? The sites in the settings file are boats or locks.";
    assert!(outcome.err.contains(hint), "{outcome}");
    let outcome = stage.run(&["crawl", "nowhere.test"]).ends(4);
    assert!(!outcome.err.contains("settings file"), "{outcome}");
}

#[test]
fn without_a_start_url_those_of_earlier_runs_are_named() {
    let stage = Stage::new(&two_sites());
    let none = stage.run(&["crawl"]).ends(2);
    assert!(none.err.contains("rummage demo"), "{none}");
    stage.run(&["crawl", "http://a.test/", "-q"]).ends(1);
    stage.run(&["crawl", "http://b.test/", "-q"]).ends(0);
    let outcome = stage.run(&["crawl"]).ends(2);
    for start in ["rummage crawl http://a.test/", "rummage crawl http://b.test/"] {
        assert!(outcome.err.contains(start), "{outcome}");
    }
}

#[cfg(unix)]
#[test]
fn the_run_of_a_start_is_continued() {
    let mut scenario = two_sites();
    let hanging = page("<a href=/slow>x</a>");
    for host in ["a.test", "b.test"] {
        let paths = [("/", hanging.clone()), ("/slow", Act::Silent)];
        scenario.hosts.extend(site(host, &paths).hosts);
    }
    let stage = Stage::new(&scenario);
    for start in ["http://a.test/", "http://b.test/"] {
        let words = ["crawl", start, "-v"];
        let mut crawl = Running::start(&words, &mut stage.command(&words));
        crawl.until("the sitemap, after the first page", |line| line.contains("/sitemap.xml"));
        crawl.signal("-INT");
        crawl.end().ends(3);
    }
    let outcome = stage.run(&["crawl", "http://c.test/", "--resume"]).ends(2);
    assert!(outcome.err.contains("no unfinished run begins at http://c.test/"), "{outcome}");
    assert!(outcome.err.contains("run 2 of http://b.test/, run 1 of http://a.test/"), "{outcome}");
    let outcome = stage.run(&["crawl", "a.test", "--resume", "--timeout", "200ms"]).ends(1);
    assert!(outcome.err.contains("continuing run 1 of a.test"), "{outcome}");
    let outcome = stage.run(&["crawl", "--resume", "--timeout", "200ms"]).ends(1);
    assert!(outcome.err.contains("continuing run 2 of b.test"), "{outcome}");
}

#[test]
fn a_connect_rule_for_many_hosts_needs_their_names() {
    let stage = Stage::new(&two_sites());
    let rule = "*.away.test=127.0.0.1:9";
    let words = ["crawl", "http://new.away.test", "--connect", rule];
    let outcome = stage.run(&words).ends(4);
    let help = "A --connect rule with * is for hosts that a DNS server knows; for this one, give \
                its full name: --connect new.away.test=IP:PORT";
    assert!(outcome.err.contains(help), "{outcome}");
}
