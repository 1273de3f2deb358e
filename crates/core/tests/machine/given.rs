//! Further start URLs, pages that are known to exist, and lists instead of a site.

use rummage_core::crawl::{Note, RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::Prefix;
use url::Url;

use crate::web::{Act, Web, page};

fn url(text: &str) -> Url {
    Url::parse(text).unwrap()
}

fn unreached(seen: &crate::web::Seen) -> Vec<&str> {
    let notes = seen.notes.iter().filter(|(_, note)| *note == Note::Unreached);
    notes.map(|(url, _)| url.as_str()).collect()
}

fn site() -> Web {
    Web::default()
        .on("http://a.test/", page(&["/one", "http://b.test/"]))
        .on("http://a.test/one", page(&["/"]))
        .on("http://a.test/hidden/", page(&["/hidden/deep"]))
        .on("http://a.test/hidden/deep", page(&[]))
        .on("http://a.test/alone", page(&["/alone"]))
        .on("http://a.test/folder", Act::Redirect(301, "/folder/".into()))
        .on("http://a.test/folder/", page(&[]))
        .on("http://b.test/", page(&["/x"]))
        .on("http://b.test/x", page(&[]))
}

#[test]
fn further_start_urls_are_crawled_within_the_bounds() {
    let settings = Settings {
        also: vec![url("http://a.test/hidden/"), url("http://b.test/#top")],
        within: vec![Prefix::parse("b.test/").unwrap()],
        ..Settings::default()
    };
    let seen = site().crawl(settings);
    let mut pages = seen.pages.clone();
    pages.sort_unstable();
    assert_eq!(
        pages,
        [
            "http://a.test/",
            "http://a.test/hidden/",
            "http://a.test/hidden/deep",
            "http://a.test/one",
            "http://b.test/",
            "http://b.test/x"
        ]
    );
    assert!(unreached(&seen).is_empty(), "a person began there");
    assert_eq!(seen.times_requested("http://b.test/"), 1);
}

#[test]
fn a_listed_page_without_links_to_it_is_parsed_and_reported() {
    let listed = |names: &[&str]| names.iter().map(|name| url(name)).collect();
    let settings = Settings {
        listed: vec![
            listed(&["http://a.test/", "http://a.test/index.html"]),
            listed(&["http://a.test/one.html", "http://a.test/one"]),
            listed(&["http://a.test/alone", "http://a.test/alone.html"]),
            listed(&["http://a.test/hidden/", "http://a.test/hidden/index.html"]),
        ],
        ..Settings::default()
    };
    let seen = site().crawl(settings.clone());
    assert_eq!(unreached(&seen), ["http://a.test/alone", "http://a.test/hidden/"]);
    assert!(seen.pages.contains(&"http://a.test/hidden/deep".to_owned()), "its links are followed");
    for name in ["http://a.test/index.html", "http://a.test/one.html", "http://a.test/alone.html"] {
        assert_eq!(seen.times_requested(name), 0, "{name} is a page that is known by another name");
    }
    // A run that sees only some of the links cannot know which pages are reached.
    for bounded in [
        Settings { depth: Some(9), ..settings.clone() },
        Settings { max_pages: Some(99), ..settings },
    ] {
        assert!(unreached(&site().crawl(bounded)).is_empty());
    }
}

#[test]
fn redirect_targets_are_reached() {
    let web = site().on("http://a.test/", page(&["/folder"]));
    let listed = vec![vec![url("http://a.test/folder/")]];
    let seen = web.crawl(Settings { listed, ..Settings::default() });
    assert!(unreached(&seen).is_empty(), "{:?}", seen.notes);
    assert_eq!(seen.times_requested("http://a.test/folder/"), 1);
}

/// A list has no URL to which a relative reference could be relative.
#[test]
fn relative_references_in_a_list_are_skipped_and_wrong_ones_broken() {
    let html = "<a href=x.html>x</a><a href=/y>y</a><a href='http://a b/'>z</a>";
    let web = site().on("file:///list.html", Act::Page(html.into()));
    let settings = Settings { lists: true, sitemap: SitemapRule::Named, ..Settings::default() };
    let seen = web.crawl_from(settings, &["file:///list.html"]);
    for relative in ["x.html", "/y"] {
        assert_eq!(seen.verdict(relative), "skipped other-scheme", "{relative}");
    }
    assert_eq!(seen.verdict("http://a b/"), "broken malformed-url");
}

#[test]
fn every_list_entry_is_checked_once_and_nothing_is_crawled() {
    let list = |text: &str| Act::List(text.to_owned());
    let web = site()
        .on("file:///one.txt", list("http://a.test/\nhttp://a.test/lost\nhttp://a.test/\nnonsense"))
        .on("file:///two.txt", list("http://a.test/\nwww.c.test\n"));
    let settings = Settings {
        lists: true,
        also: vec![url("file:///two.txt")],
        robots: RobotsRule::Ignore,
        sitemap: SitemapRule::Named,
        ..Settings::default()
    };
    let seen = web.crawl_from(settings, &["file:///one.txt"]);
    assert_eq!(seen.verdict("http://a.test/"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/lost"), "broken not-found 404");
    assert_eq!(seen.verdict("nonsense"), "broken malformed-url");
    assert!(seen.verdicts.contains_key("https://www.c.test/"));
    assert_eq!(seen.times_requested("http://a.test/"), 1);
    assert_eq!(seen.times_requested("http://a.test/one"), 0, "pages are not parsed");
    assert_eq!(seen.times_requested("http://a.test/robots.txt"), 0);
    assert_eq!(seen.pages, ["file:///one.txt", "file:///two.txt"]);
    assert!(unreached(&seen).is_empty());
}
