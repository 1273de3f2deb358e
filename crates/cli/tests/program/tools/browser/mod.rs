//! A report in a real browser.

mod driver;

use std::path::{Path, PathBuf};
use std::process::Command;

use rummage_demo::{Act, museum};

use super::{find, skip};
use crate::harness::Stage;
use crate::options::{page, site};
use driver::Browser;

/// A report of the museum, in the folder of its stage.
fn museum_report() -> (Stage, PathBuf) {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    let settings = "[site.museum]\nstart = \"www.ashlock-canal.test\"\n\
                    editor-link = \"https://cms.ashlock-canal.test/edit{path}\"\n";
    std::fs::write(stage.path("rummage.toml"), settings).unwrap();
    stage.run(&["report", "-o", "report.html"]).ends(0);
    let file = stage.path("report.html");
    (stage, file)
}

const ENTRIES: &str = "document.querySelectorAll('.list > li').length";

#[test]
fn findings_are_searched_filtered_sorted_and_unfolded() {
    let (_stage, file) = museum_report();
    let Some(browser) = Browser::open(&file, true) else { return };
    let all = browser.number(ENTRIES);
    assert!(all > 60, "{all}");
    browser.type_into("input[type=search]", "webcam five");
    assert_eq!(browser.number(ENTRIES), 1);
    assert_eq!(
        browser.text("document.querySelector('.list .name').innerText"),
        "https://www.ashlock-canal.test/webcam/"
    );
    assert!(browser.url().ends_with("#q=webcam+five"), "{}", browser.url());
    let status = browser.visible_text(".status");
    assert_eq!(status, format!("1 target of {all} targets match"));
    // The view can be sent.
    let sent = browser.url();
    browser.go("about:blank");
    browser.go(&sent);
    assert_eq!(browser.number(ENTRIES), 1);
    assert_eq!(browser.text("document.querySelector('input[type=search]').value"), "webcam five");
    browser.click(".tools button");
    assert_eq!(browser.number(ENTRIES), all);
    // Filters, one at a time and together.
    let select = |name: &str| format!("label:has(select) select[data-key={name}]");
    browser.choose(&select("verdict"), "doubtful");
    let doubtful = browser.number(ENTRIES);
    assert!((1..all).contains(&doubtful), "{doubtful}");
    let verdicts = "[...document.querySelectorAll('.list .verdict')].every((at) => at.innerText === 'doubtful')";
    assert_eq!(browser.value(verdicts), true);
    browser.choose(&select("scope"), "external");
    assert!(browser.number(ENTRIES) < doubtful);
    for (key, value) in [("verdict", ""), ("scope", ""), ("element", "img")] {
        browser.choose(&select(key), value);
    }
    assert!((1..10).contains(&browser.number(ENTRIES)));
    browser.choose(&select("element"), "");
    // Order.
    browser.choose(&select("sort"), "target");
    let names = "[...document.querySelectorAll('.list .name')].map((at) => at.innerText)";
    let sorted = format!(
        "(() => {{ const all = {names}; return all.join() === all.toSorted((a, b) => a.localeCompare(b)).join() }})()"
    );
    assert_eq!(browser.value(&sorted), true);
    // Folded occurrences.
    let open = "document.querySelectorAll('.list details[open]').length";
    assert_eq!(browser.number(open), 0);
    browser.click(".list details > summary");
    assert_eq!(browser.number(open), 1);
    // By page, for its editor.
    browser.click("input[value=page]");
    assert!(browser.url().contains("view=page"), "{}", browser.url());
    assert!(browser.number(ENTRIES) > 20);
    let edit = browser.text("[...document.querySelectorAll('.list .head a')].find((at) => at.innerText === 'edit').href");
    assert!(edit.starts_with("https://cms.ashlock-canal.test/edit/"), "{edit}");
    let rel =
        "[...document.querySelectorAll('.list a')].every((at) => at.rel === 'noopener noreferrer')";
    assert_eq!(browser.value(rel), true);
    // A row as text.
    browser.value("document.execCommand = () => true");
    browser.click(".list .copy");
    assert_eq!(browser.text("document.querySelector('.list .copy').innerText"), "Copied");
    assert_eq!(browser.complaints(), Vec::<String>::new());
    assert_eq!(browser.number("performance.getEntriesByType('resource').length"), 0);
}

#[test]
fn everything_is_reached_by_keyboard() {
    let (_stage, file) = museum_report();
    let Some(browser) = Browser::open(&file, true) else { return };
    let (tab, enter, right) = ("\u{e004}", "\u{e007}", "\u{e014}");
    browser.press(tab);
    assert_eq!(browser.text("document.activeElement.innerText"), "Skip to the findings");
    browser.press(enter);
    browser.press(tab);
    assert_eq!(browser.text("document.activeElement.value"), "target");
    browser.press(right);
    assert!(browser.url().contains("view=page"), "{}", browser.url());
    browser.press(tab);
    browser.press("webcam");
    assert!(browser.url().contains("q=webcam"), "{}", browser.url());
    for _ in 0..7 {
        browser.press(tab);
    }
    assert_eq!(browser.text("document.activeElement.innerText"), "Show all");
    browser.press(enter);
    assert!(!browser.url().contains("webcam"), "{}", browser.url());
    let visible = "(() => { const at = document.activeElement; return getComputedStyle(at).outlineStyle !== 'none' || at === document.body })()";
    assert_eq!(browser.value(visible), true);
}

/// WCAG 2.2, levels A and AA, by axe-core: in light and dark, by target and by page.
#[test]
fn a_report_is_accessible() {
    let Some(axe) = std::env::var_os("RUMMAGE_TEST_AXE") else {
        return skip("RUMMAGE_TEST_AXE does not name axe.min.js");
    };
    let axe = std::fs::read_to_string(axe).unwrap();
    let (_stage, file) = museum_report();
    let Some(browser) = Browser::open(&file, true) else { return };
    for theme in ["light", "dark"] {
        browser.prefer("prefers-color-scheme", theme);
        for view in ["target", "page"] {
            browser.click(&format!("input[value={view}]"));
            browser
                .value("document.querySelectorAll('details').forEach((at) => { at.open = true })");
            browser.value(&format!("(() => {{ {axe}; return true }})()"));
            let script = "const done = arguments[arguments.length - 1];
                axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })
                  .then((result) => done(result.passes.length < 20 ? ['hardly anything was checked'] : result.violations.map((one) => one.id + ': ' + one.nodes.slice(0, 3).map((node) => node.html).join(' | '))));";
            let violations = browser.result(script);
            assert_eq!(violations, serde_json::json!([]), "{theme}, by {view}");
        }
    }
    let dark = browser.text("getComputedStyle(document.body).backgroundColor");
    assert_eq!(dark, "rgb(27, 28, 30)");
}

#[test]
fn a_report_is_printed_whole_and_without_controls() {
    let (stage, file) = museum_report();
    let Some(browser) = Browser::open(&file, true) else { return };
    let Some(to_text) = find("pdftotext") else { return };
    for (name, width, height) in [("a4", 21.0, 29.7), ("us", 21.59, 27.94)] {
        let pdf = stage.path(name);
        std::fs::write(&pdf, browser.print(width, height)).unwrap();
        let text = Command::new(&to_text).arg("-layout").arg(&pdf).arg("-").output().unwrap();
        let text = String::from_utf8_lossy(&text.stdout).into_owned();
        for control in ["Copy", "Sort by", "Show all", "Skip to", "List by"] {
            assert!(!text.contains(control), "{control} in {text}");
        }
        // A link that is folded on the screen, and the last target.
        for part in [
            "Ashlock Canal Museum",
            "/attic/lost.html",
            "/visit/#winter-hours",
            "moved permanently",
        ] {
            assert!(text.contains(part), "{part} in {text}");
        }
        assert!(text.matches('\u{c}').count() > 3, "it has several pages");
    }
    assert_eq!(browser.number("document.querySelectorAll('.list details[open]').length"), 0);
}

/// Whatever a page holds: nothing runs, and nothing breaks the layout.
#[test]
fn hostile_content_is_only_text() {
    let (file, _stage) = {
        let attacks = "<a href='/1' title='x'><script>pwned=1</script></a>\
            <a href='/2'>&lt;script&gt;pwned=2&lt;/script&gt;&lt;img src=x onerror=pwned=3&gt;</a>\
            <a href='javascript:pwned=4'>j</a><a href='data:text/html,<script>pwned=5</script>'>d</a>\
            <a href='/3'>&lt;/script&gt;&lt;script&gt;pwned=6&lt;/script&gt;</a><a href='/&quot;onmouseover=&quot;pwned=7'>q</a>\
            <a href='/4'>\u{202e}gnirts\u{2066}\u{0}\u{1b}[31m</a><a href='/5'>{{constructor.constructor('pwned=8')()}}</a>\
            <a href='/6'>__proto__</a><a href='/constructor'>constructor</a><img src=/7 alt='&lt;svg onload=pwned=9&gt;'>";
        let long = "w".repeat(1_000_000);
        let html = format!("{attacks}<a href=/8>{long}</a><a href=/{}>u</a>", &long[..9000]);
        let nested = page(&html).with("x-powered-by", "<script>pwned=10</script>");
        let title = Act::page(format!(
            "<title>&lt;/title&gt;&lt;script&gt;pwned=11&lt;/script&gt;</title>{attacks}"
        ));
        let stage = Stage::new(&site("a.test", &[("/", title), ("/6", nested)]));
        stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
        stage.run(&["report", "-o", "report.html", "--all"]).ends(0);
        (stage.path("report.html"), stage)
    };
    let Some(browser) = Browser::open(&file, true) else { return };
    for (width, view) in [(1280, "target"), (1280, "page"), (500, "page"), (500, "target")] {
        browser.resize(width, 800);
        browser.click(&format!("input[value={view}]"));
        assert_eq!(browser.text("typeof pwned"), "undefined");
        assert_eq!(browser.number("document.scripts.length"), 2);
        assert_eq!(browser.number("document.images.length"), 0);
        let fits = "document.documentElement.scrollWidth <= document.documentElement.clientWidth";
        assert_eq!(browser.value(fits), true, "{width} {view}");
        assert!(browser.number(ENTRIES) > 1);
    }
    let schemes = "[...document.links].every((at) => /^(https?|file):$/.test(at.protocol))";
    assert_eq!(browser.value(schemes), true);
    assert_eq!(browser.complaints(), Vec::<String>::new());
}

#[test]
fn without_scripts_a_report_is_a_list() {
    let (_stage, file) = museum_report();
    let Some(browser) = Browser::open(&file, false) else { return };
    let list = browser.visible_text("ul.plain");
    for part in [
        "broken 404 Not Found https://www.ashlock-canal.test/volunteers/rota.html",
        "on 73 pages, one edit",
        "edit",
    ] {
        assert!(list.contains(part), "{part} in {list}");
    }
    assert_eq!(browser.visible_text("#app"), "");
}

/// The page with all links that it can have is usable.
#[test]
fn ten_thousand_links_are_shown_step_by_step() {
    let links: String = (0..10_000).map(|number| format!("<a href=/{number}>n</a>")).collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage.run(&["report", "-o", "report.html"]).ends(0);
    let Some(browser) = Browser::open(Path::new(&stage.path("report.html")), true) else { return };
    assert_eq!(browser.number(ENTRIES), 100);
    assert_eq!(browser.visible_text(".status"), "10,000 targets, 100 shown");
    browser.click(".next");
    assert_eq!(browser.number(ENTRIES), 200);
    browser.type_into("input[type=search]", "test/9999");
    assert_eq!(browser.number(ENTRIES), 1);
}
