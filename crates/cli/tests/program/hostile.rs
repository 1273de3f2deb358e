//! Hostile pages neither crash it nor reach the terminal raw.

use rummage_demo::Act;

use crate::harness::Stage;
use crate::options::{page, site};

#[test]
fn control_characters_are_shown_and_not_obeyed() {
    let text = "\u{1b}]0;owned\u{7}\u{1b}[31m\u{202e}lock\u{9b}2J";
    let html = format!("<title>{text}</title><a href='/gone{text}'>{text}</a>");
    let stage =
        Stage::new(&site("a.test", &[("/", page(&html.replace("<title>", "</title><title>")))]));
    let said = stage.run(&["crawl", "http://a.test", "-v"]).ends(1);
    for out in [&said.out, &said.err] {
        assert!(!out.contains(|c: char| c.is_control() && c != '\n'), "{out:?}");
        assert!(!out.contains('\u{202e}'), "{out:?}");
    }
    assert!(said.out.contains("\\u{1b}]0;owned\\u{7}\\u{1b}[31m\\u{202e}lock\\u{9b}2J"), "{said}");
    let said = stage.run(&["trace", "/gone"]).ends(0);
    assert!(!said.out.contains('\u{1b}'), "{said}");
}

#[test]
fn a_hundred_megabytes_of_nested_tags_are_read_up_to_the_limit() {
    let mut body = b"<!DOCTYPE html><title>Deep</title><a href=/x>x</a>".to_vec();
    body.extend(b"<div><section><b>".iter().cycle().take(100 << 20));
    let deep = Act::file("text/html", body);
    let paths = [("/", page("<a href=/deep>deep</a>")), ("/deep", deep), ("/x", page(""))];
    let stage = Stage::new(&site("a.test", &paths));
    let said = stage.run(&["crawl", "http://a.test"]).ends(0);
    assert!(said.out.contains("3 pages read"), "{said}");
    assert!(said.out.contains("1 page was read up to --max-size only"), "{said}");
}

#[test]
fn ten_thousand_links_of_ten_kilobytes_are_kept_and_shown_short() {
    let mut html = String::new();
    html.push_str(&format!("<a href='/{}'>long</a>", "z".repeat(10_000)));
    for number in 0..10_000 {
        html.push_str(&format!("<a href='mailto:{number}{}'>x</a>", "y".repeat(10_000)));
    }
    let stage = Stage::new(&site("a.test", &[("/", page(&html))]));
    let said = stage.run(&["crawl", "http://a.test", "--verdict", "broken,skipped"]).ends(1);
    assert!(said.out.contains("1 page was read up to --max-size only"), "{}", &said.out[..1000]);
    assert!(said.out.lines().all(|line| line.chars().count() < 400), "{said}");
}
