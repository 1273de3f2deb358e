//! What is parsed and what is not, according to the options and the site itself.

use std::io::Write;

use rummage_demo::{Act, Scenario};

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::{Running, wait_until};

fn text(content: &str) -> Act {
    Act::file("text/plain", content.as_bytes().to_vec())
}

fn with_robots(rules: &str) -> Scenario {
    site(
        "a.test",
        &[
            ("/", page("<a href=/open>o</a><a href=/closed>c</a>")),
            ("/open", page("")),
            ("/closed", page("<a href=/gone>g</a>")),
            ("/robots.txt", text(rules)),
        ],
    )
}

#[test]
fn a_start_url_disallowed_by_robots_txt_is_not_crawled_unless_robots_is_ignored() {
    let stage = Stage::new(&with_robots("User-agent: *\nDisallow: /"));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(4);
    assert!(outcome.err.contains("robots.txt disallows the start URL http://a.test/"), "{outcome}");
    assert!(outcome.err.contains("--robots ignore"), "{outcome}");
    stage.run(&["findings"]).ends(4);
    let outcome = stage.run(&["crawl", "http://a.test", "--robots", "ignore"]).ends(1);
    assert!(outcome.out.contains(" on 3 pages\n"), "{outcome}");
}

#[test]
fn a_failing_robots_txt_ends_the_run_with_advice() {
    let mut scenario = with_robots("");
    let paths = &mut scenario.hosts.get_mut("a.test").unwrap().paths;
    paths.insert("/robots.txt".to_owned(), Act::status(500));
    let stage = Stage::new(&scenario);
    let outcome = stage.run(&["crawl", "http://a.test", "--timeout", "500ms"]).ends(4);
    assert!(outcome.err.contains("cannot fetch http://a.test/robots.txt"), "{outcome}");
    assert!(outcome.err.contains("--robots ignore"), "{outcome}");
}

#[test]
fn disallowed_pages_are_counted_and_noted_and_other_rules_can_be_given() {
    let stage = Stage::new(&with_robots("User-agent: rummage\nDisallow: /closed"));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(0);
    assert!(
        outcome.out.contains("1 page not parsed for links: disallowed by robots.txt"),
        "{outcome}"
    );
    let lines = stage.run(&["findings", "--all", "--format", "jsonl"]).ends(0).json();
    let closed = lines.iter().find(|line| line["target"] == "http://a.test/closed").unwrap();
    assert_eq!(closed["notes"], serde_json::json!(["not-read: robots"]));
    assert_eq!(closed["verdict"], "sound");

    std::fs::write(stage.path("rules.txt"), "User-agent: *\nDisallow: /open").unwrap();
    let outcome = stage.run(&["crawl", "http://a.test", "--robots", "./rules.txt"]).ends(1);
    assert!(outcome.out.contains("http://a.test/gone"), "{outcome}");
    let outcome = stage.run(&["crawl", "http://a.test", "--robots", "./no.txt"]).ends(2);
    assert!(outcome.err.contains("--robots: cannot read ./no.txt"), "{outcome}");
}

#[test]
fn sitemaps_may_be_compressed() {
    let list = "<urlset><url><loc>http://a.test/alone</loc></url></urlset>";
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packed.write_all(list.as_bytes()).unwrap();
    let packed = Act::file("application/octet-stream", packed.finish().unwrap());
    let robots = text("Sitemap: http://a.test/list.xml.gz");
    let alone = page("<a href=/gone>g</a>");
    let paths = [
        ("/", page("<a href=/>Home</a>")),
        ("/robots.txt", robots),
        ("/list.xml.gz", packed),
        ("/alone", alone),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(1);
    assert!(outcome.out.contains("4 links to 4 targets on 2 pages and 1 sitemap"), "{outcome}");
    assert!(outcome.out.contains("http://a.test/alone 1:"), "{outcome}");

    let outcome = stage.run(&["crawl", "http://a.test", "--sitemap", "none"]).ends(0);
    assert!(outcome.out.contains("1 not checked: 1 excluded"), "{outcome}");
    let words = ["crawl", "http://a.test", "--sitemap", "http://a.test/no.xml"];
    let outcome = stage.run(&words).ends(0);
    assert!(
        outcome.out.contains("the sitemap http://a.test/no.xml could not be fetched"),
        "{outcome}"
    );
    let outcome = stage.run(&["crawl", "http://a.test", "--sitemap", "no.xml"]).ends(2);
    assert!(outcome.err.contains("--sitemap no.xml is not a valid URL"), "{outcome}");
}

#[test]
fn prefixes_queries_elements_and_sizes_limit_a_crawl() {
    let long = format!("<a href=/docs/>d</a>{}<a href=/far>f</a>", "<p>word</p>".repeat(500));
    let paths = [
        ("/", page("<a href='/docs/?s=1'>d</a><a href=/blog/>b</a><img src=/i.png>")),
        ("/docs/", page(&long)),
        ("/blog/", page("<a href=/gone>g</a>")),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    let outcome = stage.run(&["crawl", "http://a.test", "--within", "/docs/"]).ends(1);
    assert!(outcome.err.contains("; only pages within /docs/ are parsed"), "{outcome}");
    let crawl = |more: &[&str]| stage.run(&[&["crawl", "http://a.test"], more].concat());

    let outcome = crawl(&["--within", "/docs/", "--query", "drop:s"]).ends(1);
    assert!(outcome.out.contains("1 page not parsed for links: outside --within"), "{outcome}");
    assert!(
        outcome.out.contains("http://a.test/far") && !outcome.out.contains("/gone"),
        "{outcome}"
    );
    let outcome =
        crawl(&["--query", "drop", "--max-size", "1K", "--check-elements", "img"]).ends(1);
    assert!(outcome.out.contains("1 page was read only up to --max-size"), "{outcome}");
    assert!(outcome.out.contains("img src=/i.png") && !outcome.out.contains("/far"), "{outcome}");

    for (words, wrong) in [
        (["--within", "http://"], "empty host"),
        (["--query", "dorp"], "give keep, drop"),
        (["--check-elements", "images"], "no element of this name has links"),
        (["--max-size", "10 parsecs"], "such as 500K"),
    ] {
        let outcome = crawl(&words).ends(2);
        assert!(outcome.err.contains(wrong), "{outcome}");
    }
}

#[test]
fn endless_url_patterns_are_stopped_and_listed() {
    let month = |n: usize| format!("/calendar?month={}-{:02}", 2026 + n / 12, 1 + n % 12);
    let mut paths = vec![("/".to_owned(), page(&format!("<a href='{}'>c</a>", month(0))))];
    for n in 0..700 {
        paths.push((month(n), page(&format!("Month {n} <a href='{}'>next</a>", month(n + 1)))));
    }
    let paths: Vec<(&str, Act)> = paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    let stage = Stage::new(&site("a.test", &paths));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(0);
    assert!(outcome.out.contains("1 not checked: 1 endless URL pattern"), "{outcome}");
    assert!(outcome.out.contains("--exclude '/calendar?*'"), "{outcome}");
    let outcome = stage.run(&["findings", "--verdict", "skipped"]).ends(0);
    assert!(
        outcome.out.contains("skipped  endless URL pattern\n  http://a.test/calendar?month="),
        "{outcome}"
    );
    let outcome = stage.run(&["crawl", "http://a.test", "--include", "/calendar?*"]).ends(1);
    assert!(outcome.out.contains(" on 701 pages\n"), "{outcome}");
}

#[test]
fn a_site_rendered_by_javascript_is_never_called_sound() {
    let shell = Act::page("<title>App</title><div id=app></div><script src=/a.js></script>".into());
    let script = Act::file("text/javascript", b"draw()".to_vec());
    let stage = Stage::new(&site("a.test", &[("/", shell), ("/a.js", script)]));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(3);
    assert!(outcome.out.contains("http://a.test/ is rendered by JavaScript"), "{outcome}");
    assert!(
        outcome.out.contains("Pages here are rendered by JavaScript; their links were not found."),
        "{outcome}"
    );
    assert!(!outcome.out.contains("Nothing that was checked"), "{outcome}");
}

#[test]
fn rules_and_sitemaps_are_restored_after_a_kill() {
    let list: String =
        (0..30).map(|n| format!("<url><loc>http://a.test/{n}</loc></url>")).collect();
    let mut paths = vec![
        ("/".to_owned(), page("")),
        ("/robots.txt".to_owned(), text("User-agent: *\nDisallow: /7\nSitemap: /map.xml")),
        ("/map.xml".to_owned(), text(&format!("<urlset>{list}</urlset>"))),
        ("/29".to_owned(), Act::Silent),
    ];
    paths.extend((0..29).map(|n| (format!("/{n}"), page(&format!("<a href=/x{n}>x</a>")))));
    let paths: Vec<(&str, Act)> = paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    let stage = Stage::new(&site("a.test", &paths));
    let words = ["crawl", "http://a.test", "-q"];
    let crawl = Running::start(&words, &mut stage.command(&words));
    wait_until("request for the last page", || {
        let requests = stage.web.requests();
        requests.len() >= 60 && requests.iter().any(|request| request.path == "/29")
    });
    // Data that is committed twice a second is there.
    wait_until("stored pages", || stage.run(&["findings"]).out.contains("29 pages and 1 sitemap"));
    drop(crawl);
    let requests = |path: &str| stage.web.requests().iter().filter(|a| a.path == path).count();
    let outcome = stage.run(&["crawl", "--resume", "--timeout", "500ms"]).ends(1);
    assert_eq!((requests("/robots.txt"), requests("/map.xml"), requests("/7")), (1, 1, 1));
    assert!(requests("/") <= 2, "the start may bear witness that the server is well");
    assert!(outcome.out.contains("29 pages and 1 sitemap"), "{outcome}");
    assert!(outcome.out.contains("disallowed by robots.txt"), "{outcome}");
}
