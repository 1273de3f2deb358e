//! Title, picture and introduction, and content that must not run.

use std::fs;

use rummage_demo::museum;

use crate::harness::Stage;
use crate::options::{page, site};

/// A PNG of one pixel, as far as its first bytes go.
const PNG: &[u8] = &[0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, 0, 0];

fn crawled(links: &str) -> Stage {
    let stage = Stage::new(&site("a.test", &[("/", page(links))]));
    stage.run(&["crawl", "http://a.test", "-q"]);
    stage
}

fn report(stage: &Stage, words: &[&str]) -> String {
    stage.run(&[&["report", "-o", "r.html"], words].concat()).ends(0);
    fs::read_to_string(stage.path("r.html")).unwrap()
}

#[test]
fn a_report_has_the_heading_that_was_given() {
    let stage = crawled("<a href=/gone>g</a>");
    fs::write(stage.path("logo.png"), PNG).unwrap();
    fs::write(stage.path("intro.md"), "Dear *museum*,\n\n<script>alert(1)</script>\n").unwrap();
    let html = report(
        &stage,
        &["--title", "Links <in> order", "--logo", "logo.png", "--intro", "intro.md"],
    );
    assert!(html.contains("<h1>Links &#60;in&#62; order</h1>"), "{html}");
    assert!(html.contains("<img class=\"logo\" src=\"data:image/png;base64,iVBORw0KGgoAAA==\""));
    assert!(html.contains("<p>Dear <em>museum</em>,</p>"), "{html}");
    assert!(html.contains("&lt;script&gt;alert(1)&lt;/script&gt;"), "{html}");
}

#[test]
fn what_cannot_be_used_in_a_heading_is_an_error() {
    let stage = crawled("");
    fs::write(stage.path("logo.txt"), "no picture").unwrap();
    fs::write(stage.path("big.png"), [PNG, &vec![0; 500_000]].concat()).unwrap();
    fs::write(stage.path("latin.md"), [0xe9]).unwrap();
    for (words, error) in [
        (&["-o", "r.html", "--logo", "logo.txt"][..], "not a picture that every browser shows"),
        (&["-o", "r.html", "--logo", "big.png"], "larger than 500 KB"),
        (&["-o", "r.html", "--logo", "none.png"], "cannot use --logo none.png"),
        (&["-o", "r.html", "--intro", "latin.md"], "it is not UTF-8"),
        (&["-o", "r.csv", "--title", "x"], "--title is for reports in HTML"),
        (&["-o", "r.pdf"], "the extension of r.pdf is not that of a known format"),
        (&[], "no file is named"),
    ] {
        let outcome = stage.run(&[&["report"], words].concat()).ends(2);
        assert!(outcome.err.contains(error), "{error} in {outcome}");
    }
    assert!(!stage.path("r.html").exists());
}

/// Whatever a page holds, the report has two scripts, its own, and links to web pages alone.
#[test]
fn nothing_from_a_page_can_run() {
    let links = "<a href='javascript:alert(1)'>j</a><a href='data:text/html,<script>1</script>'>d</a>\
                 <a href='/gone\"><script>alert(2)</script>'></script><script>alert(3)</script>]]></a>\
                 <img src='/x' alt='<!--<script><img onerror=alert(4)>'>\
                 <a href='/n?\u{0}\u{202e}'>\u{0}\u{202e}</a><a href=' JavaScript:x'>J</a>";
    let long = format!("{links}<a href=/long>{}</a>", "x".repeat(1_000_000));
    let stage = crawled(&long);
    let html = report(&stage, &["--all"]);
    assert_eq!(html.matches("<script").count(), 2, "its data and its script");
    assert_eq!(html.matches("</script").count(), 2);
    assert!(html.len() < 200_000, "{}", html.len());
    for (at, _) in html.match_indices("href=\"") {
        let url = &html[at + 6..];
        let is_harmless =
            ["http://", "https://", "#findings\""].iter().any(|ok| url.starts_with(ok));
        assert!(is_harmless, "{}", &url[..40.min(url.len())]);
    }
    assert!(!html.contains(['\u{0}', '\u{202e}']));
}

/// The script and the style are those that the policy allows, and the file loads nothing.
#[test]
fn a_report_needs_no_other_file() {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    let html = report(&stage, &[]);
    let (_, policy) = html.split_once("Content-Security-Policy\" content=\"").unwrap();
    let (policy, _) = policy.split_once('"').unwrap();
    for rule in ["default-src &#39;none&#39;", "img-src data:", "base-uri &#39;none&#39;"] {
        assert!(policy.contains(rule), "{rule} in {policy}");
    }
    assert_eq!(policy.matches("sha256-").count(), 2, "{policy}");
    assert!(!policy.contains("unsafe"), "{policy}");
    for word in [" src=\"http", "<link", "@import", "url(http", " style=\"", " onclick="] {
        assert!(!html.contains(word), "{word}");
    }
}
