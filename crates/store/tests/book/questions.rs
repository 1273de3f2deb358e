//! Runs the queries of `docs/store.md`.

use jiff::Timestamp;

use crate::site::Site;

#[test]
fn every_query_of_the_docs_runs_and_finds_something() {
    let foot = "<footer><a href=/gone>Rota</a></footer>";
    let mut site = Site::new(&[
        ("/", &format!("<a href=/a>a</a><a href=/b>b</a>{foot}")),
        ("/a", &format!("<a href=/gone-too>x</a>{foot}")),
        ("/b", foot),
    ]);
    site.crawl();
    site.pages.insert("/gone-too", "back".to_owned());
    site.crawl();
    let text = include_str!("../../../../docs/store.md");
    let queries: Vec<&str> = text
        .split("```sql\n")
        .skip(1)
        .map(|rest| rest.split("```").next().unwrap_or_default())
        .collect();
    assert_eq!(queries.len(), 5);
    let db = rusqlite::Connection::open(site.path()).unwrap();
    for query in queries {
        let mut select = db.prepare(query).unwrap_or_else(|error| panic!("{error}\n{query}"));
        let columns = select.column_count();
        let mut rows = select.query([]).unwrap();
        let first = rows.next().unwrap().unwrap_or_else(|| panic!("nothing is found\n{query}"));
        let known = (0..columns)
            .filter(|column| first.get_ref(*column).unwrap() != rusqlite::types::ValueRef::Null);
        assert!(known.count() >= 3, "{query}");
    }
    // The link in the footer of three pages takes one edit.
    let pages: i64 = db
        .query_row(
            "SELECT count(*) FROM open_finding GROUP BY fingerprint ORDER BY 1 DESC",
            [],
            |row| row.get(0),
        )
        .unwrap();
    assert_eq!(pages, 3);
}

#[test]
fn pages_linking_to_a_url_are_counted_and_the_first_is_named() {
    let site = Site::new(&[
        ("/", "<a href=/a>a</a><a href=/x>x</a><a href=/x>x</a>"),
        ("/a", "\n<a href=/x>x</a><a href=/y>y</a>"),
    ]);
    let run = site.crawl();
    let reader = site.reader();
    let run = reader.open_run(run).unwrap();
    let urls = ["/x", "/y", "/unknown"].map(|path| format!("http://a.test{path}"));
    let carried = run.carried(&urls.iter().cloned().collect()).unwrap();
    assert_eq!(carried.len(), 2);
    let x = &carried["http://a.test/x"];
    assert_eq!((x.pages, x.first.0.as_str(), x.first.1), (2, "http://a.test/", 1));
    let y = &carried["http://a.test/y"];
    assert_eq!((y.pages, y.first.0.as_str(), y.first.1), (1, "http://a.test/a", 2));
}

#[test]
fn requests_since_a_time_are_counted_across_runs() {
    let site = Site::new(&[("/", "<a href=/a>a</a>"), ("/a", "")]);
    let run = site.crawl();
    let reader = site.reader();
    let count = |since| -> u64 {
        let counts = reader.requests_since("a.test", since).unwrap();
        counts.iter().map(|(_, requests)| requests).sum()
    };
    let of_one = count(run.started_at);
    assert!(of_one >= 2, "{of_one}");
    site.crawl();
    assert_eq!(count(run.started_at), 2 * of_one);
    assert_eq!(count(Timestamp::MAX), 0);
    assert!(reader.requests_since("b.test", run.started_at).unwrap().is_empty());
}

#[test]
fn a_recheck_takes_the_hops_of_a_target_and_so_many_pages_with_links_to_it() {
    let link = "<a href=/old>o</a><a href=/old>again</a>";
    let site = Site::new(&[
        ("/", &format!("<a href=/a>a</a><a href=/b>b</a>{link}")),
        ("/a", link),
        ("/b", link),
        ("/old", ">/new"),
        ("/new", ""),
    ]);
    let run = site.crawl();
    let reader = site.reader();
    let run = reader.open_run(run).unwrap();
    let (old, _) = run.find("http://a.test/old", 1).unwrap().remove(0);
    let again = |pages| {
        let mut urls: Vec<String> = run.to_recheck(&[old], pages).unwrap().into_iter().collect();
        urls.sort();
        urls
    };
    let paths = |paths: &[&str]| -> Vec<String> {
        paths.iter().map(|path| format!("http://a.test{path}")).collect()
    };
    assert_eq!(again(0), paths(&["/new", "/old"]));
    assert_eq!(again(1), paths(&["/", "/new", "/old"]));
    // Two links on one page are one page.
    assert_eq!(again(2), paths(&["/", "/a", "/new", "/old"]));
    assert_eq!(again(9), paths(&["/", "/a", "/b", "/new", "/old"]));
}

#[test]
fn only_what_works_is_sound() {
    let site = Site::new(&[
        ("/", "<title>Home</title><a href=/a>a</a><a href=/lost>l</a><a href=/old>o</a>"),
        ("/a", "<title>A</title>"),
        ("/old", ">/new"),
        ("/new", "<title>New</title>"),
    ]);
    let run = site.crawl();
    let reader = site.reader();
    let run = reader.open_run(run).unwrap();
    let urls: Vec<String> = run.sound_urls().unwrap().into_iter().map(|sound| sound.url).collect();
    assert!(urls.contains(&"http://a.test/a".to_owned()), "{urls:?}");
    assert!(urls.contains(&"http://a.test/new".to_owned()), "the end of a redirect: {urls:?}");
    for missing in ["http://a.test/lost", "http://a.test/old"] {
        assert!(!urls.contains(&missing.to_owned()), "{urls:?}");
    }
}
