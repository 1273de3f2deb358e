//! Sitemaps of the working pages.

use std::fs;
use std::io::Read as _;

use rummage_demo::Act;

use crate::harness::Stage;
use crate::options::{page, site};

fn crawled() -> Stage {
    let links = ["/a?x=1&amp;y=2", "/noindex", "/header", "/copy", "/moved", "/gone", "/f.txt"];
    let links: String = links.iter().map(|to| format!("<a href='{to}'>l</a>")).collect();
    let paths = [
        ("/", page(&links).with("Last-Modified", "Tue, 03 Mar 2026 07:00:00 GMT")),
        ("/a?x=1&y=2", page("").with("Last-Modified", "Tue, 03 Mar 2099 07:00:00 GMT")),
        ("/noindex", page("<meta name=Robots content='NoIndex, follow'>")),
        ("/header", page("").with("X-Robots-Tag", "noindex")),
        ("/copy", page("<link rel=canonical href=/>")),
        ("/moved", Act::redirect(301, "/")),
        ("/f.txt", Act::file("text/plain", b"no page".to_vec())),
    ];
    Stage::new(&site("a.test", &paths))
}

#[test]
fn a_sitemap_has_the_pages_that_belong_in_it() {
    let stage = crawled();
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let outcome = stage.run(&["sitemap", "-o", "sitemap.xml"]).ends(0);
    let xml = fs::read_to_string(stage.path("sitemap.xml")).unwrap();
    insta::assert_snapshot!(xml, @r#"
    <?xml version="1.0" encoding="UTF-8"?>
    <urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
      <url><loc>http://a.test/</loc><lastmod>2026-03-03T07:00:00Z</lastmod></url>
      <url><loc>http://a.test/a?x=1&amp;y=2</loc></url>
    </urlset>
    "#);
    assert_eq!(
        outcome.err, "2 URLs in sitemap.xml\nleft out: 2 noindex, 1 not canonical\n",
        "{outcome}"
    );
    stage.run(&["sitemap", "-o", "sitemap.xml.gz", "-q"]).ends(0);
    let file = fs::File::open(stage.path("sitemap.xml.gz")).unwrap();
    let mut unpacked = String::new();
    flate2::read::GzDecoder::new(file).read_to_string(&mut unpacked).unwrap();
    assert_eq!(unpacked, xml);
    // It can be read again.
    let probed = stage.run(&["probe", "sitemap.xml", "--format", "jsonl", "--all", "-q"]).ends(0);
    assert_eq!(probed.json().len(), 2);
}

#[test]
fn pages_that_robots_txt_disallows_are_noticed() {
    let robots = Act::file("text/plain", b"User-agent: *\nDisallow: /private/\n".to_vec());
    let paths = [
        ("/", page("<a href=/private/x>p</a>")),
        ("/private/x", page("")),
        ("/robots.txt", robots),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(0);
    let outcome = stage.run(&["sitemap", "-o", "sitemap.xml"]).ends(0);
    assert_eq!(outcome.err, "1 URL in sitemap.xml\n", "{outcome}");
    stage.run(&["crawl", "http://a.test", "-q", "--robots", "ignore"]).ends(0);
    let outcome = stage.run(&["sitemap", "-o", "sitemap.xml"]).ends(0);
    assert!(outcome.err.contains("2 URLs in sitemap.xml\n"), "{outcome}");
    assert!(outcome.err.contains("this run did not obey the robots.txt of the site"), "{outcome}");
}

#[test]
fn a_sitemap_of_an_unfinished_run_is_not_written() {
    let stage = crawled();
    let outcome = stage.run(&["sitemap", "-o", "sitemap.xml"]).ends(4);
    assert!(outcome.err.contains("error"), "{outcome}");
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let db = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    for (change, error) in [
        ("state = 'stopped'", "run 1 is not a complete run of the whole site"),
        ("state = 'suspicious'", "run 1 is not a complete run of the whole site"),
        ("state = 'finished', kind = 'page'", "run 1 is not a complete run of the whole site"),
        ("kind = 'crawl', rules_version = 4", "run 1 was made by an earlier version"),
    ] {
        db.execute(&format!("UPDATE run SET {change}"), []).unwrap();
        let outcome = stage.run(&["sitemap", "-o", "sitemap.xml"]).ends(2);
        assert!(outcome.err.contains(error), "{error} in {outcome}");
    }
    assert!(!stage.path("sitemap.xml").exists());
}
