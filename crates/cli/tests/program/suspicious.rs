//! Results that are too good: a maintenance page with status 200 has no broken links either.

use rummage_demo::{Act, Scenario};

use crate::harness::Stage;
use crate::options::{page, site};

/// A site with six pages and a dead link on each.
fn whole() -> Scenario {
    let links: String =
        (0..5).map(|n| format!("<a href=/p{n}>{n}</a> <a href=/dead{n}>x</a>")).collect();
    let mut paths = vec![("/".to_owned(), page(&links))];
    paths.extend(
        (0..5).map(|n| (format!("/p{n}"), page(&format!("Words of {n} <a href=/>up</a>")))),
    );
    let paths: Vec<(&str, Act)> = paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    site("a.test", &paths)
}

/// What the site shows while it is maintained, on every URL.
fn maintained(html: &str) -> Scenario {
    site("a.test", &[("/", page(html)), ("/about", page("<a href=/>About us</a>"))])
}

const SETTINGS: &str = "[site.a]\nstart = \"http://a.test/\"\ndigest-to = [\"editor@a.test\"]\n";

/// Two stages, the second with the settings and the store of the first, after a crawl of that.
fn crawled(first: &Scenario, then: &Scenario) -> (Stage, Stage) {
    let (one, two) = (Stage::new(first), Stage::new(then));
    std::fs::write(one.path("rummage.toml"), SETTINGS).unwrap();
    one.run(&["crawl", "a", "-q"]).ends(1);
    for name in ["rummage.toml", "store.db", "store.db-wal"] {
        if one.path(name).exists() {
            std::fs::copy(one.path(name), two.path(name)).unwrap();
        }
    }
    (one, two)
}

#[test]
fn a_maintenance_page_heals_nothing_and_is_no_all_clear() {
    let (_one, two) = crawled(&whole(), &maintained("<h1>Back soon</h1>"));
    let outcome = two.run(&["crawl", "a"]).ends(3);
    assert!(
        outcome.out.contains("\nThis result is suspicious: http://a.test/ has no links, so"),
        "{outcome}"
    );
    assert!(outcome.out.contains("0 fixed, 5 still open"), "{outcome}");
    assert!(!outcome.out.contains("Nothing that was checked"), "{outcome}");
    let emails: Vec<String> = two.web.emails().iter().map(|email| email.text()).collect();
    assert_eq!(emails, Vec::<String>::new());
    let later = two.run(&["findings"]).ends(3);
    assert!(later.out.ends_with("\nNothing broken was found, but this result is suspicious.\n"));
    let sites = two.run(&["sites"]).ends(0);
    assert!(sites.out.contains("  suspicious  "), "{sites}");
    // What was due before is still due.
    let scheduled = two.run(&["schedule"]).ends(0);
    assert!(scheduled.out.contains("5 URLs scheduled"), "{scheduled}");
    // It is nothing to continue.
    two.run(&["crawl", "--resume"]).ends(2);
    // Rechecks are about the crawl before it, and no better.
    let recheck = two.run(&["recheck", "http://a.test/dead1"]).ends(3);
    assert!(recheck.out.contains("0 fixed, 5 still open"), "{recheck}");
    let page = two.run(&["page", "http://a.test/"]).ends(3);
    assert!(page.out.starts_with("This result is suspicious: "), "{page}");
    assert_eq!(two.web.emails().len(), 0);
}

#[test]
fn a_crawl_that_finds_under_half_of_the_pages_is_suspicious_until_it_is_accepted() {
    let (_one, two) = crawled(&whole(), &maintained("<a href=/about>Back soon</a>"));
    let outcome = two.run(&["crawl", "a"]).ends(3);
    assert!(outcome.out.contains("suspicious: only 2 of about 6 pages found"), "{outcome}");
    let outcome = two.run(&["crawl", "a", "--accept"]).ends(0);
    assert!(outcome.out.contains("5 fixed, 0 still open"), "{outcome}");
    assert_eq!(two.web.emails().len(), 1);
    two.run(&["crawl", "a"]).ends(0);
    // Other settings show other pages.
    two.run(&["crawl", "a", "--depth", "0"]).ends(0);
}

#[test]
fn a_start_that_ends_at_a_login_page_is_suspicious() {
    let login = [
        ("/", Act::redirect(302, "/login?next=/")),
        ("/login?next=/", page("<form action=/login></form> <a href=/lost>Lost it?</a>")),
    ];
    let stage = Stage::new(&site("a.test", &login));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(3);
    let expected = "the start URL ends at a login page, http://a.test/login?next=/, so";
    assert!(outcome.out.contains(expected), "{outcome}");
    stage.run(&["crawl", "http://a.test/login?next=/"]).ends(1);
}
