//! Hostile pages neither crash the program nor reach the terminal unescaped.

use rummage_demo::Act;

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::Running;

#[test]
fn control_characters_are_escaped() {
    let text = "\u{1b}]0;owned\u{7}\u{1b}[31m\u{202e}lock\u{9b}2J";
    let html = format!("<title>{text}</title><a href='/gone{text}'>{text}</a>");
    let stage =
        Stage::new(&site("a.test", &[("/", page(&html.replace("<title>", "</title><title>")))]));
    let outcome = stage.run(&["crawl", "http://a.test", "-v"]).ends(1);
    for out in [&outcome.out, &outcome.err] {
        assert!(!out.contains(|c: char| c.is_control() && c != '\n'), "{out:?}");
        assert!(!out.contains('\u{202e}'), "{out:?}");
    }
    assert!(
        outcome.out.contains("\\u{1b}]0;owned\\u{7}\\u{1b}[31m\\u{202e}lock\\u{9b}2J"),
        "{outcome}"
    );
    let outcome = stage.run(&["trace", "/gone"]).ends(0);
    assert!(!outcome.out.contains('\u{1b}'), "{outcome}");
}

/// All controls of Unicode, and what changes the writing direction.
fn hostile() -> String {
    let controls = (1..0x20).chain(0x7f..0xa0).filter_map(char::from_u32);
    let bidi = "\u{61c}\u{200e}\u{200f}\u{202a}\u{202b}\u{202c}\u{202d}\u{202e}\u{2066}\u{2067}\
                \u{2068}\u{2069}";
    controls.chain(bidi.chars()).collect()
}

/// A site whose text, titles, references and headers have all of them, and a formula.
fn hostile_site() -> Stage {
    let text = hostile();
    let html = format!(
        "</title><title>{text}\u{1b}[0m=cmd|calc</title><a href=\"/gone?{text}\">{text}</a>\
         <a href='/gone' rel='{text}'>\u{1b}[0m=cmd|calc</a><img src='x:{text}' alt='{text}'>\
         <a href='{text}mailto'>x</a><a href='/server'>s</a>"
    );
    let server =
        page("").with("x-note", "none").with("content-type", "text/html; charset=\u{9b}31m");
    Stage::new(&site("a.test", &[("/", page(&html)), ("/server", server)]))
}

/// What of them is in an output, apart from line ends.
fn obeyed(output: &str) -> String {
    // A terminal adds one more.
    let lines = output.replace("\r\r\n", "\n").replace("\r\n", "\n");
    hostile().chars().filter(|c| *c != '\n' && lines.contains(*c)).collect()
}

const FORMATS: [&str; 10] =
    ["text", "csv", "json", "jsonl", "md", "html", "junit", "sarif", "github", "baseline"];

#[test]
fn no_output_has_characters_that_a_terminal_obeys() {
    let stage = hostile_site();
    let crawl = stage.run(&["crawl", "http://a.test", "-v", "--all"]).ends(1);
    assert_eq!((obeyed(&crawl.out), obeyed(&crawl.err)), (String::new(), String::new()), "{crawl}");
    for format in FORMATS {
        let file = stage.path("list");
        let words = ["findings", "--all", "--format", format];
        let piped = stage.run(&words).ends(0);
        assert_eq!(obeyed(&piped.out), "", "{piped}");
        stage.run(&[&words[..], &["-o", file.to_str().unwrap()]].concat()).ends(0);
        let filed = std::fs::read_to_string(file).unwrap();
        assert_eq!(obeyed(&filed), "", "{format}: {filed:?}");
        let formula = |line: &str| line.split(',').any(|cell| cell.starts_with(['=', '@']));
        assert!(format != "csv" || !filed.lines().any(formula), "{filed}");
    }
}

#[cfg(unix)]
#[test]
fn no_format_reaches_a_terminal_with_characters_that_it_obeys() {
    let stage = hostile_site();
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    for format in FORMATS {
        let words = ["findings", "--all", "--format", format, "--color", "never"];
        let shown = crate::running::on_terminal(&mut stage.command(&words));
        assert!(shown.contains("/gone"), "{format}: {shown}");
        assert_eq!(obeyed(&shown), "", "{format}: {shown:?}");
    }
}

#[test]
fn deeply_nested_tags_are_read_up_to_the_size_limit() {
    let mut body = b"<!DOCTYPE html><title>Deep</title><a href=/x>x</a>".to_vec();
    body.extend(b"<div><section><b>".iter().cycle().take(100 << 20));
    let deep = Act::file("text/html", body);
    let paths = [("/", page("<a href=/deep>deep</a>")), ("/deep", deep), ("/x", page(""))];
    let stage = Stage::new(&site("a.test", &paths));
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(0);
    assert!(outcome.out.contains(" on 3 pages\n"), "{outcome}");
    assert!(outcome.out.contains("1 page was read only up to --max-size"), "{outcome}");
}

#[test]
fn ten_thousand_links_of_ten_kilobytes_are_stored_and_shown_cut() {
    let mut html = String::new();
    html.push_str(&format!("<a href='/{}'>long</a>", "z".repeat(10_000)));
    for number in 0..10_000 {
        html.push_str(&format!("<a href='mailto:{number}{}'>x</a>", "y".repeat(10_000)));
    }
    let stage = Stage::new(&site("a.test", &[("/", page(&html))]));
    let outcome = stage.run(&["crawl", "http://a.test", "--verdict", "broken,skipped"]).ends(1);
    assert!(
        outcome.out.contains("1 page was read only up to --max-size"),
        "{}",
        &outcome.out[..1000]
    );
    assert!(outcome.out.lines().all(|line| line.chars().count() < 400), "{outcome}");
}

#[test]
fn text_from_pages_stays_text_in_every_format() {
    let html = "<title>=HYPERLINK(1)</title><a href='/gone'>=1+1|[x](javascript:1)\u{1b}[31m</a>
                <a href='@x:y'>+44</a>";
    let stage = Stage::new(&site("a.test", &[("/", page(html))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let list = |format| stage.run(&["findings", "--all", "--format", format]).ends(0).out;
    let csv = list("csv");
    assert!(csv.contains(",'=1+1|[x](javascript:1)"), "{csv}");
    assert!(csv.contains(",'+44,'@x:y,"), "{csv}");
    let md = list("md");
    assert!(md.contains("=1+1\\|\\[x\\](javascript:1)"), "{md}");
    for text in [list("md"), list("text"), list("jsonl"), list("json")] {
        assert!(!text.contains('\u{1b}'), "{text}");
    }
    for group in ["page", "host", "cause", "none"] {
        let outcome = stage.run(&["findings", "--all", "--group", group]).ends(0);
        assert!(!outcome.out.contains('\u{1b}') && outcome.out.contains("gone"), "{outcome}");
    }
}

#[test]
fn a_pipe_that_closes_ends_every_format_quietly() {
    let links: String = (0..3000).map(|n| format!("<a href=/gone{n}>gone {n}</a>\n")).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    stage.run(&["crawl", "http://a.test", "-q", "--exclude", "/gone*"]).ends(0);
    for format in ["text", "csv", "json", "jsonl", "md"] {
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let words = ["findings", "--all", "--format", format, "-q"];
        let outcome = Running::start_into(&words, &mut stage.command(&words), writer).end().ends(0);
        assert_eq!(outcome.err, "", "{format}");
    }
}
