//! Queries on a finished run.

use std::time::Duration;

use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{RunState, Totals};

use crate::site::{Site, lines, rows};

fn site() -> Site {
    let foot = "<footer><a href=/gone>Rota</a></footer>";
    Site::new(&[
        ("/", &format!("<title>Home</title><a href=/b>b</a><a href=/a>a</a>{foot}")),
        ("/a", &format!("<a href=/old>o</a><a href=/b#here>h</a><a href=/b#not>n</a>{foot}")),
        (
            "/b",
            &format!("<h2 id=here>x</h2><a href=mailto:x@a.test>m</a><a href=/gone>Rota</a>{foot}"),
        ),
        ("/old", ">/c"),
        ("/c", foot),
    ])
}

fn totals(site: &Site) -> Totals {
    let reader = site.reader();
    reader.open_run(reader.last_run().unwrap()).unwrap().totals().unwrap()
}

#[test]
fn links_are_ordered_by_rank_and_position() {
    let site = site();
    let run = site.crawl();
    let reader = site.reader();
    assert_eq!(
        lines(&rows(&reader, &run, &Selection::all())),
        [
            "sound / /b",
            "sound / /a",
            "broken / /gone",
            "skipped /b mailto:x@a.test",
            "broken /b /gone",
            "broken /b /gone",
            "moved /a /old",
            "sound /a /b#here",
            "broken /a /b#not",
            "broken /a /gone",
            "broken /c /gone",
        ]
    );
    let moved = Selection::of(&[Verdict::Moved]);
    let row = rows(&reader, &run, &moved).remove(0);
    assert_eq!(row.outcome.last.as_deref(), Some("http://a.test/c"));
    assert_eq!(row.outcome.moved_to.as_deref(), Some("http://a.test/c"));
    assert_eq!((row.line, row.column, row.text.as_deref()), (1, 1, Some("o")));
}

/// Documents are counted by their kind, and so are those that were cut at their limit.
#[test]
fn parsed_documents_are_counted_by_kind() {
    let long = |start: &str| format!("{start}{}", " ".repeat(1 << 20));
    let sitemap = "<urlset><url><loc>http://a.test/b</loc></url>\
                   <url><loc>http://a.test/c</loc></url></urlset>";
    let site = Site::new(&[
        ("/", "<link rel=stylesheet href=/a.css><link rel=stylesheet href=/b.css><a href=/b>b</a>"),
        ("/b", &long("<a href=/c>c</a>")),
        ("/c", "<a href=/>home</a>"),
        ("/a.css", &long("a { background: url(/x.png) }")),
        ("/b.css", "b { background: url(/y.png) }"),
        ("/sitemap.xml", &long(sitemap)),
        ("/robots.txt", &long("User-agent: *\nDisallow:\n")),
    ]);
    site.crawl();
    let totals = totals(&site);
    assert_eq!((totals.pages, totals.stylesheets, totals.sitemaps, totals.lists), (3, 2, 1, 0));
    assert_eq!((totals.cut, totals.cut_sitemaps, totals.cut_robots), (2, 1, 1));
    assert_eq!(totals.links, 3 + 1 + 1 + 1 + 1 + 2, "of pages, stylesheets and the sitemap");
    assert_eq!(totals.targets, 7, "/, /a.css, /b.css, /b, /c, /x.png and /y.png");
    assert_eq!(totals.waived, 0);
}

#[test]
fn the_same_link_is_counted_by_pages_not_occurrences() {
    let site = site();
    let run = site.crawl();
    let broken = Selection::of(&[Verdict::Broken]);
    let rows = rows(&site.reader(), &run, &broken);
    let pages: Vec<(Option<&str>, u64)> =
        rows.iter().map(|row| (row.region.map(Region::as_str), row.pages)).collect();
    let foot = (Some("footer"), 4);
    assert_eq!(pages, [foot, (None, 1), foot, (None, 1), foot, foot]);
}

#[test]
fn totals_count_targets_and_reasons() {
    let site = site();
    let run = site.crawl();
    assert_eq!((run.number, run.site.as_str(), run.state), (1, "a.test", RunState::Finished));
    assert_eq!((run.title.as_deref(), run.start.as_str()), (Some("Home"), "http://a.test/"));
    let totals = totals(&site);
    assert_eq!((totals.pages, totals.links, totals.targets), (4, 11, 6));
    // `/gone` and `/b#not`; no link names the start and `/c`.
    assert_eq!((totals.broken, totals.doubtful, totals.moved, totals.sound), (2, 0, 1, 2));
    assert_eq!(totals.skipped.len(), 1);
    assert_eq!((totals.skipped[0].cause, totals.skipped[0].targets), (Cause::OtherScheme, 1));
    assert_eq!((totals.not_asked, totals.not_parsed.len()), (0, 0));
}

#[test]
fn the_hops_of_a_url_include_every_attempt() {
    let site = site();
    let (run, reader) = (site.crawl(), site.reader());
    let run = reader.open_run(run).unwrap();
    let way = |url: &str| {
        let (found, _) = run.find(url, 1).unwrap().remove(0);
        run.way(found).unwrap()
    };
    let old = way("http://a.test/old");
    let hops: Vec<(&str, Vec<Option<u16>>)> = old
        .iter()
        .map(|hop| (hop.url.as_str(), hop.attempts.iter().map(|a| a.outcome.status()).collect()))
        .collect();
    assert_eq!(
        hops,
        [("http://a.test/old", vec![Some(301)]), ("http://a.test/c", vec![Some(200)])]
    );
    let page = old[1].page.as_ref().unwrap();
    assert_eq!((page.depth, page.links), (Some(2), 1));
    let gone = way("http://a.test/gone");
    assert_eq!(gone[0].attempts.len(), 2, "what is missing is confirmed");
    assert_eq!(gone[0].attempts[0].took, Duration::from_millis(3));
}

#[test]
fn urls_are_found_by_text_without_scheme_or_in_part() {
    let site = site();
    let (run, reader) = (site.crawl(), site.reader());
    let run = reader.open_run(run).unwrap();
    let find = |text: &str, most| -> Vec<String> {
        run.find(text, most).unwrap().into_iter().map(|(_, url)| url).collect()
    };
    assert_eq!(find("http://a.test/b", 9), ["http://a.test/b"]);
    assert_eq!(find("a.test/b", 9), ["http://a.test/b"]);
    assert_eq!(find("/o", 9), ["http://a.test/old"]);
    assert_eq!(find("a.test/", 2).len(), 1);
    assert_eq!(find("test/", 3).len(), 3);
    assert!(find("nowhere", 9).is_empty());
    let (b, _) = run.find("http://a.test/b", 9).unwrap().remove(0);
    assert_eq!(run.missing_fragments(b), ["not"]);
}

#[test]
fn clicks_lead_through_the_first_page_with_the_link() {
    let site = site();
    let (run, reader) = (site.crawl(), site.reader());
    let run = reader.open_run(run).unwrap();
    let clicks = |url: &str| {
        let (page, _) = run.find(url, 1).unwrap().remove(0);
        run.clicks(page).unwrap()
    };
    // `/c` is reached through the redirect of `/old`.
    assert_eq!(clicks("http://a.test/c"), ["http://a.test/", "http://a.test/a", "http://a.test/c"]);
    assert_eq!(clicks("http://a.test/"), ["http://a.test/"]);
}

#[test]
fn a_second_run_of_unchanged_pages_adds_no_page_versions() {
    let site = site();
    site.crawl();
    let first = std::fs::metadata(site.path()).unwrap().len();
    let run = site.crawl();
    assert_eq!(run.number, 2);
    let selection = Selection::all();
    let (reader, one) = (site.reader(), site.reader().run(1).unwrap());
    let (before, after) = (rows(&reader, &one, &selection), rows(&reader, &run, &selection));
    assert_eq!(lines(&before), lines(&after));
    assert!(std::fs::metadata(site.path()).unwrap().len() < first * 2);
    let last = reader.last_crawl_from("a.test").unwrap().unwrap();
    assert_eq!((last.took, last.urls), (run.took, 8));
    assert_eq!(reader.last_crawl_from("b.test").unwrap(), None);
}
