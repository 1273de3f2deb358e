//! URLs that are excluded are not requested, and counted with the reason.

use rummage_core::crawl::{Externals, Note, Settings};
use rummage_core::extract::elements::Element;
use rummage_core::url::pattern::Pattern;
use rummage_core::url::query::QueryRule;
use rummage_core::url::scope::Prefix;

use crate::web::{Act, Web, page};

/// A tree of pages, each with two links: `/1` leads to `/2` and `/3`, and so on.
fn tree(pages: usize) -> Web {
    let mut web = Web::default().on("http://a.test/", page(&["/1"]));
    for n in 1..pages {
        let (left, right) = (format!("/{}", 2 * n), format!("/{}", 2 * n + 1));
        web = web.on(&format!("http://a.test/{n}"), page(&[&left, &right]));
    }
    web
}

#[test]
fn externals_can_be_noted_only() {
    let web = Web::default()
        .on(
            "http://a.test/",
            page(&["http://b.test/", "/jump", "mailto:a@a.test", "htp://a.test/"]),
        )
        .on("http://a.test/jump", Act::Redirect(301, "http://b.test/".into()))
        .on("http://b.test/", page(&[]));
    let note = Settings { externals: Externals::Note, ..Settings::default() };
    let seen = web.crawl(note);
    assert_eq!(seen.verdict("http://b.test/"), "skipped external");
    assert_eq!(seen.verdict("http://a.test/jump"), "skipped external");
    assert_eq!(seen.verdict("mailto:a@a.test"), "skipped other-scheme");
    assert_eq!(seen.verdict("htp://a.test/"), "broken malformed-url");
    assert_eq!(seen.times_requested("http://b.test/"), 0);
    assert_eq!(web.crawl(Settings::default()).verdict("http://b.test/"), "sound 200");
}

#[test]
fn rules_exclude_and_include() {
    let web = tree(8);
    let settings = Settings {
        exclude: vec![Pattern::new("/2"), Pattern::new("/3")],
        include: vec![Pattern::new("http://*/3")],
        ..Settings::default()
    };
    let seen = web.crawl(settings);
    assert_eq!(seen.verdict("http://a.test/2"), "skipped excluded");
    assert_eq!(seen.verdict("http://a.test/3"), "sound 200");
    assert!(!seen.verdicts.contains_key("http://a.test/4"));
}

#[test]
fn pages_beyond_the_depth_are_requested_and_not_parsed() {
    let settings = Settings { depth: Some(1), ..Settings::default() };
    let seen = tree(8).crawl(settings);
    assert_eq!(seen.pages, ["http://a.test/", "http://a.test/1"]);
    assert_eq!(seen.verdict("http://a.test/3"), "sound 200 (not read: depth)");
    assert!(!seen.verdicts.contains_key("http://a.test/6"));
}

/// That a page was not parsed is said of pages that work.
#[test]
fn a_broken_page_beyond_the_depth_is_only_broken() {
    let web = Web::default()
        .on("http://a.test/", page(&["/deep", "/gone"]))
        .on("http://a.test/deep", page(&[]))
        .on("http://a.test/gone", Act::Says(404, "<title>Gone</title>".into()));
    let seen = web.crawl(Settings { depth: Some(0), ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/deep"), "sound 200 (not read: depth)");
    assert_eq!(seen.verdict("http://a.test/gone"), "broken not-found 404");
}

#[test]
fn a_shorter_path_found_late_counts() {
    use std::time::Duration;
    let web = Web::default()
        .on("http://a.test/", page(&["/slow", "/a"]))
        .slow("http://a.test/slow", Duration::from_secs(5), page(&["/deep"]))
        .on("http://a.test/a", page(&["/b"]))
        .on("http://a.test/b", page(&["/deep"]))
        .on("http://a.test/deep", page(&["/deeper"]))
        .on("http://a.test/deeper", page(&[]));
    let settings = Settings { depth: Some(2), ..Settings::default() };
    let seen = web.crawl(settings);
    assert!(seen.pages.contains(&"http://a.test/deep".to_owned()));
    assert_eq!(seen.verdict("http://a.test/deeper"), "sound 200 (not read: depth)");
}

/// What was found on the way comes nearer as well, by as much and no more.
#[test]
fn a_shorter_path_brings_everything_behind_it_nearer() {
    use std::time::Duration;
    let web = Web::default()
        .on("http://a.test/", page(&["/slow", "/a"]))
        .slow("http://a.test/slow", Duration::from_secs(5), page(&["/deep"]))
        .on("http://a.test/a", page(&["/b"]))
        .on("http://a.test/b", page(&["/deep"]))
        .on("http://a.test/deep", page(&["/c"]))
        .on("http://a.test/c", page(&["/d"]))
        .on("http://a.test/d", page(&["/e"]))
        .on("http://a.test/e", page(&["/f"]))
        .on("http://a.test/f", page(&[]));
    let seen = web.crawl(Settings { depth: Some(4), ..Settings::default() });
    assert!(seen.pages.contains(&"http://a.test/d".to_owned()), "{:?}", seen.pages);
    assert_eq!(seen.verdict("http://a.test/e"), "sound 200 (not read: depth)");
    assert!(!seen.verdicts.contains_key("http://a.test/f"));
}

#[test]
fn max_pages_admits_pages_by_rank_in_any_order_of_responses() {
    use std::time::Duration;
    let slow_first =
        tree(40).slow("http://a.test/2", Duration::from_secs(3), page(&["/4", "/file", "/5"]));
    for web in [slow_first.clone(), slow_first.on("http://a.test/file", Act::File("text/plain"))] {
        let settings = Settings { max_pages: Some(6), ..Settings::default() };
        let seen = web.crawl(settings);
        let mut pages = seen.pages.clone();
        pages.sort();
        let expected = ["", "1", "2", "3", "4", "5"].map(|path| format!("http://a.test/{path}"));
        assert_eq!(pages, expected);
        assert_eq!(seen.verdict("http://a.test/6"), "skipped limit");
    }
}

#[test]
fn service_links_are_checked_only_if_a_visitor_has_the_link_too() {
    let html = "<link rel=preconnect href='http://b.test/'><link rel=pingback href=/ping>\
        <link rel=profile href=/both><a href=/both></a>";
    let web = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://a.test/both", page(&[]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/"), "skipped service-link");
    assert_eq!(seen.verdict("http://a.test/ping"), "skipped service-link");
    assert_eq!(seen.verdict("http://a.test/both"), "sound 200");
}

#[test]
fn external_hosts_are_requested_at_most_twice_a_second() {
    let links: Vec<String> = (0..20).map(|n| format!("http://b.test/{n}")).collect();
    let links: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&links));
    for link in &links {
        web = web.on(link, page(&[]));
    }
    let seen = web.crawl(Settings::default());
    let seconds = seen.end.since_start().as_secs_f64();
    assert!((9.5..10.5).contains(&seconds), "{seconds}");
}

fn within(prefixes: &[&str]) -> Settings {
    let within = prefixes.iter().map(|prefix| Prefix::parse(prefix).unwrap()).collect();
    Settings { within, ..Settings::default() }
}

#[test]
fn prefixes_limit_what_is_parsed_and_add_hosts() {
    let web = Web::default()
        .on("http://a.test/", page(&["/docs/", "/blog/", "http://shop.a.test/x"]))
        .on("http://a.test/docs/", page(&["/docs/1"]))
        .on("http://a.test/blog/", page(&["/blog/1"]))
        .on("http://shop.a.test/x", page(&["/y"]));
    let seen = web.crawl(within(&["/docs/"]));
    assert_eq!(seen.verdict("http://a.test/docs/1"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/blog/"), "sound 200 (not read: within)");
    assert!(!seen.verdicts.contains_key("http://a.test/blog/1"));
    assert!(!seen.verdicts.contains_key("http://shop.a.test/y"));
    let seen = web.crawl(within(&["shop.a.test"]));
    assert_eq!(seen.verdict("http://shop.a.test/y"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/blog/1"), "broken not-found 404");
}

#[test]
fn only_queries_of_internal_urls_are_dropped() {
    let web = Web::default()
        .on("http://a.test/", page(&["/x?session=1&id=2", "http://b.test/?session=1"]))
        .on("http://a.test/x?id=2", page(&["/x?session=3&id=2#end"]))
        .on("http://b.test/?session=1", page(&[]));
    let query = QueryRule::DropNames(vec!["session".into()]);
    let seen = web.crawl(Settings { query, ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/x?id=2"), "sound 200");
    assert_eq!(seen.times_requested("http://a.test/x?id=2"), 1);
    assert_eq!(seen.verdict("http://b.test/?session=1"), "sound 200");
    assert_eq!(seen.missing, ["http://a.test/x?id=2#end"]);
    assert!(!seen.verdicts.contains_key("http://a.test/x?session=1&id=2"));
}

#[test]
fn check_elements_limits_checks_and_not_the_crawl() {
    let html =
        "<a href=/1>1</a><a href=http://b.test/>b</a><img src=/p.png><script src=/s.js></script>";
    let images = "<img src=http://b.test/q.png><img src=http://b.test/logo.png>";
    let web = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://a.test/1", Act::Page(images.into()))
        .on("http://b.test/logo.png", Act::File("image/png"));
    let check_elements = vec![Element::named("img").unwrap()];
    let seen = web.crawl(Settings { check_elements, ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/p.png"), "broken not-found 404");
    assert_eq!(seen.verdict("http://b.test/q.png"), "broken not-found 404");
    assert_eq!(seen.verdict("http://b.test/"), "skipped excluded");
    assert_eq!(seen.verdict("http://a.test/s.js"), "skipped excluded");
}

#[test]
fn a_form_is_broken_only_if_its_target_is_missing_or_fails() {
    let form = |to: &str| format!("<form action='{to}'></form>");
    let all: String = ["/400", "/403", "/404", "/500", "/both"].map(form).concat();
    let html = format!("{all}<a href=/both>b</a><form method=post action=/post></form>");
    let mut web = Web::default().on("http://a.test/", Act::Page(html));
    for status in [400, 403, 500] {
        web = web.on(&format!("http://a.test/{status}"), Act::Status(status));
    }
    let seen = web.on("http://a.test/both", Act::Status(400)).crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/400"), "sound 400");
    assert_eq!(seen.verdict("http://a.test/403"), "sound 403");
    assert_eq!(seen.verdict("http://a.test/404"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/500"), "broken server-error 500");
    assert_eq!(seen.verdict("http://a.test/both"), "broken client-error 400");
    assert!(!seen.verdicts.contains_key("http://a.test/post"));
}

#[test]
fn internal_stylesheets_have_the_depth_of_their_page() {
    let css = |text: &str| Act::Body("text/css", text.to_owned());
    let html = "<link rel=stylesheet href=/1.css><link rel=stylesheet href=http://b.test/4.css>";
    let web = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://a.test/1.css", css("@import '2.css'; a { b: url(3.png) }"))
        .on("http://a.test/2.css", css("a { b: url(/deep.png) }"))
        .on("http://b.test/4.css", css("a { b: url(/far.png) }"));
    let seen = web.crawl(Settings { depth: Some(0), ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/3.png"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/deep.png"), "broken not-found 404");
    assert!(!seen.verdicts.contains_key("http://b.test/far.png"));
}

#[test]
fn references_are_resolved_against_the_base() {
    for (base, found) in [
        ("/x/", "http://a.test/x/1"),
        ("http://b.test/y?z", "http://b.test/1"),
        ("data:text/html,x", "http://a.test/1"),
        ("javascript:void(0)", "http://a.test/1"),
        ("http://", "http://a.test/1"),
    ] {
        let html = format!("<base href='{base}'><a href=1>1</a>");
        let web = Web::default().on("http://a.test/", Act::Page(html));
        let seen = web.on("http://b.test/", page(&[])).crawl(Settings::default());
        assert_eq!(seen.verdict(found).split(' ').next(), Some("broken"), "{base}");
    }
}

#[test]
fn a_soft_404_page_was_parsed_and_counts_for_max_pages() {
    let web = Web::default()
        .on("http://a.test/", page(&["/lost", "/p1", "/p2", "/p3"]))
        .on("http://a.test/lost", Act::Page("<title>Page not found</title>".into()))
        .on("http://a.test/p1", page(&[]))
        .on("http://a.test/p2", page(&[]))
        .on("http://a.test/p3", page(&[]));
    let seen = web.crawl(Settings { max_pages: Some(3), ..Settings::default() });
    assert_eq!(seen.pages, ["http://a.test/", "http://a.test/lost", "http://a.test/p1"]);
}

#[test]
fn sitemap_indexes_that_name_indexes_end() {
    let index = |names: &str| {
        let sitemaps = format!("<sitemapindex>{names}</sitemapindex>");
        Act::Body("application/xml", sitemaps)
    };
    let name = |number: usize| format!("<sitemap><loc>http://a.test/s{number}.xml</loc></sitemap>");
    let mut web = Web::default()
        .on("http://a.test/", page(&[]))
        .on("http://a.test/sitemap.xml", index(&(name(0) + &name(1000))));
    for number in (0..100).chain(1000..1100) {
        web = web.on(&format!("http://a.test/s{number}.xml"), index(&name(number + 1)));
    }
    let seen = web.crawl(Settings::default());
    let read = seen.replies.iter().filter(|(url, _)| url.contains("/s1") || url.contains("/s0"));
    assert!(read.count() < 10, "{:?}", seen.replies);
    let notes = seen.notes.iter().filter(|(_, note)| *note == Note::MoreSitemaps).count();
    assert_eq!(notes, 2, "{:?}", seen.notes);
}
