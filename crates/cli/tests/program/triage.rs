//! The full-screen view, on a terminal: look, decide, act, and leave the terminal as it was.

use std::fs;
use std::process::Command;

use rummage_demo::{Act, Scenario, museum};
use rustix::process::Signal;

use crate::harness::{Stage, program};
use crate::options::{page, site};
use crate::tty::Tty;

/// A site with three broken links and one that is refused.
fn small() -> Scenario {
    let home = "<a href=/old>the old page</a><a href=/rota>rota</a><a href=/two>two</a>\
                <a href=/walls>walls</a><a href=http://b.test/in>b</a>";
    let mut scenario =
        site("a.test", &[("/", page(home)), ("/two", page("<a href=/rota>the rota</a>"))]);
    let other = site("b.test", &[("/in", Act::status(403)), ("/", page(""))]);
    scenario.hosts.extend(other.hosts);
    scenario
}

fn crawled(scenario: &Scenario) -> Stage {
    let stage = Stage::new(scenario);
    stage.run(&["crawl", "http://a.test", "--timeout", "500ms", "-q"]).ends(1);
    stage
}

fn open(stage: &Stage, words: &[&str]) -> Tty {
    Tty::start(&mut stage.command(&[&["triage"], words].concat()), (100, 30))
}

/// What was printed on leaving.
fn commands(screen: &str) -> Vec<String> {
    // Long lines are wrapped.
    let joined = screen.replace('\n', "");
    let parts = joined.split("rummage ").skip(1);
    parts.map(|part| format!("rummage {part}").trim_end().to_owned()).collect()
}

#[test]
fn findings_are_decided_one_by_one_and_many_at_once() {
    let stage = crawled(&small());
    let mut tty = open(&stage, &[]);
    tty.shows("3 broken");
    tty.shows("http://a.test/rota");
    // One by one: the rota, which is on two pages, comes first.
    tty.shows("the rota</a>");
    tty.press("l");
    tty.shows("Waive 1 target");
    tty.press("back in spring⇥30d⏎");
    tty.shows("waived 1 target until");
    assert!(fs::read_to_string(stage.path("waivers.toml")).unwrap().contains("a.test/rota"));
    // One that was a mistake.
    tty.press("x");
    tty.shows("plan.toml: unwrap 1 target");
    tty.press("u");
    tty.shows("plan.toml: as before");
    // Many at once, but for one: only those that match.
    tty.press("f--verdict broken old⏎");
    tty.shows("1 broken");
    tty.press("c");
    tty.shows("Change the URL");
    tty.press("http://a.test/two⏎");
    tty.shows("plan.toml: replace 1 target");
    tty.press("f");
    tty.shows("filter: --verdict broken old");
    tty.press("\u{15}--all⏎");
    tty.shows("403");
    tty.press("q");
    let (code, screen) = tty.end();
    assert_eq!(code, Some(0), "{screen}");
    assert!(screen.contains("what was done, as commands:"), "{screen}");
    let done = commands(&screen);
    assert_eq!(done.len(), 2, "what was taken back is not there: {screen}");
    let plan = fs::read_to_string(stage.path("plan.toml")).unwrap();
    assert!(plan.contains("to = \"http://a.test/two\"") && !plan.contains("unwrap\"\n"), "{plan}");

    // The decisions are where the other commands see them.
    let list = stage.run(&["waive", "--list"]).ends(0);
    assert!(list.out.contains("back in spring") && list.out.contains("a.test/rota"), "{list}");
    let found = stage.run(&["findings"]).ends(0);
    assert!(found.out.contains("1 waived") && !found.out.contains("a.test/rota"), "{found}");
    let shown = stage.run(&["mend", "show", "plan.toml"]).ends(0);
    assert!(shown.out.contains("http://a.test/old"), "{shown}");

    // The commands that were printed do the same again.
    let waivers = fs::read_to_string(stage.path("waivers.toml")).unwrap();
    fs::remove_file(stage.path("waivers.toml")).unwrap();
    fs::remove_file(stage.path("plan.toml")).unwrap();
    let bin = std::path::Path::new(env!("CARGO_BIN_EXE_rummage")).parent().unwrap();
    for line in done {
        let line = format!("PATH='{}':$PATH; {line}", bin.display());
        let mut again = Command::new("/bin/sh");
        again.args(["-c", &line]).current_dir(stage.folder.path());
        let output = again.output().unwrap();
        assert!(output.status.success(), "{line}: {output:?}");
    }
    assert_eq!(fs::read_to_string(stage.path("waivers.toml")).unwrap(), waivers);
    assert_eq!(fs::read_to_string(stage.path("plan.toml")).unwrap(), plan);
}

#[test]
fn a_plan_is_made_shown_applied_and_checked_without_leaving() {
    let stage = Stage::new(&small());
    fs::create_dir(stage.path("public")).unwrap();
    let home = "<p>\nThe <a href=\"/opening-huors.html\">hours</a> of summer.\n<a href=\"lost.html\">lost</a>\n\
                <a href=\"opening-hours.html\">hours</a>\n";
    fs::write(stage.path("public/index.html"), home).unwrap();
    fs::write(stage.path("public/opening-hours.html"), "<p>\n").unwrap();
    let words = ["crawl", "./public", "--as", "https://c.test/", "-q", "--fail-on", "never"];
    stage.run(&words).ends(0);
    let mut tty = open(&stage, &[]);
    tty.shows("2 broken");
    tty.press("/huors⏎");
    tty.shows("1 match");
    // The link is shown as it stands in its file.
    tty.shows("The <a href=\"/opening-huors.html\">hours</a> of summer.");
    tty.press("c");
    // The misspelled page has a URL that works.
    tty.shows("to: https://c.test/opening-hours.html");
    tty.press("⏎");
    tty.shows("plan.toml: replace 1 target");
    tty.press("v");
    tty.shows("+The <a href=\"/opening-hours.html\">hours</a>");
    assert_eq!(fs::read_to_string(stage.path("public/index.html")).unwrap(), home);
    tty.press("y");
    tty.shows("changed 1 link in 1 file");
    let mended = home.replace("huors", "hours");
    assert_eq!(fs::read_to_string(stage.path("public/index.html")).unwrap(), mended);
    tty.press("ar");
    tty.shows("rechecked: 1 changed, 1 unchanged");
    tty.shows("link gone");
    tty.press("q");
    let (code, screen) = tty.end();
    let done = commands(&screen).join("\n");
    assert_eq!(code, Some(0), "{screen}");
    for part in ["mend set", "mend apply plan.toml --files /", "recheck"] {
        assert!(done.contains(part), "{part} in {done}");
    }
}

#[test]
fn decisions_are_about_the_site_that_is_listed() {
    let stage = crawled(&small());
    let mut tty = open(&stage, &[]);
    tty.shows("3 broken");
    tty.press("q");
    tty.end();
    // Now there are two sites, and the last run is of the other one.
    fs::create_dir(stage.path("other")).unwrap();
    fs::write(stage.path("other/index.html"), "<a href=\"gone.html\">gone</a>\n").unwrap();
    let words = ["crawl", "./other", "--as", "https://c.test/", "-q", "--fail-on", "never"];
    stage.run(&words).ends(0);
    let mut tty = open(&stage, &[]);
    tty.shows("/gone.html");
    // Meanwhile, the first site is crawled again.
    stage.run(&["crawl", "http://a.test", "--timeout", "500ms", "-q"]).ends(1);
    tty.press("l");
    tty.shows("Waive 1 target");
    tty.press("known⏎");
    tty.shows("waived 1 target");
    tty.press("q");
    let (code, screen) = tty.end();
    assert_eq!(code, Some(0), "{screen}");
    assert!(commands(&screen)[0].contains("--site 'c.test from "), "{screen}");
}

#[test]
fn a_file_that_has_changed_since_its_diff_is_not_written() {
    let stage = Stage::new(&small());
    fs::create_dir(stage.path("public")).unwrap();
    fs::write(stage.path("public/index.html"), "<a href=\"lost.html\">lost</a>\n").unwrap();
    let words = ["crawl", "./public", "--as", "https://c.test/", "-q", "--fail-on", "never"];
    stage.run(&words).ends(0);
    let mut tty = open(&stage, &[]);
    tty.shows("/lost.html");
    tty.press("xv");
    tty.shows("+lost");
    let other = "<a href=\"lost.html\">lost</a> and found\n";
    fs::write(stage.path("public/index.html"), other).unwrap();
    tty.press("y");
    tty.shows("has changed since the diff; nothing was written");
    assert_eq!(fs::read_to_string(stage.path("public/index.html")).unwrap(), other);
    tty.press("⎋");
    tty.shows("1 broken");
    tty.press("q");
    tty.end();
}

#[test]
fn the_terminal_is_given_back_whatever_happens() {
    let stage = crawled(&small());
    // Suspended from the keyboard and from outside, and continued.
    let mut tty = open(&stage, &[]);
    tty.shows("3 broken");
    for from_outside in [false, true] {
        match from_outside {
            true => tty.signal(Signal::TSTP),
            false => tty.press("\u{1a}"),
        }
        tty.until("terminal as it was", Tty::is_as_before);
        tty.until_stopped();
        tty.signal(Signal::CONT);
        tty.until("full screen", Tty::is_full_screen);
        tty.shows("3 broken");
    }
    // A smaller window.
    tty.resize(60, 20);
    tty.press("j");
    tty.until("two panes of a small window", |tty| {
        let screen = tty.screen();
        screen.lines().count() <= 20 && screen.contains("2/4") && screen.contains("─────")
    });
    // A decision that was just made is saved, whatever ends the program.
    tty.press("x");
    tty.shows("plan.toml: unwrap 1 target");
    tty.signal(Signal::TERM);
    let (code, screen) = tty.end();
    assert_eq!((code, commands(&screen).len()), (Some(0), 1), "{screen}");

    let mut tty = open(&stage, &[]);
    tty.shows("3 broken");
    tty.press("X");
    tty.shows("plan.toml: drop 1 target");
    tty.close();
    assert!(fs::read_to_string(stage.path("plan.toml")).unwrap().contains("action = \"drop\""));
}

#[test]
fn texts_of_pages_are_shown_and_never_obeyed() {
    let home = "<a href='/x\u{1b}[31m'>\u{1b}]0;owned\u{7}\u{1b}[2J\u{202e}evil\u{200b}</a>\
                <a href=/wide>運河博物館運河博物館運河博物館</a>";
    let stage = crawled(&site("a.test", &[("/", page(home))]));
    let mut tty = open(&stage, &[]);
    tty.shows("2 broken");
    tty.shows("\\u{1b}]0;owned\\u{7}\\u{1b}[2J\\u{202e}evil\\u{200b}");
    tty.press("j");
    tty.shows("運河博物館");
    tty.press("q");
    let (code, _) = tty.end();
    assert_eq!(code, Some(0));
}

#[test]
fn a_crawl_can_be_looked_at_while_it_runs() {
    let stage = Stage::new(&museum());
    let words = ["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "--triage"];
    let mut tty = Tty::start(&mut stage.command(&words), (100, 30));
    tty.shows("run 1, unfinished");
    tty.shows("crawling: ");
    tty.shows("broken ");
    tty.press("q");
    tty.shows("The crawl is still running.");
    tty.press("⎋");
    tty.shows("the crawl has finished");
    tty.until("list of the whole run", |tty| !tty.screen().contains("unfinished"));
    tty.press("q");
    let (code, screen) = tty.end();
    assert_eq!(code, Some(1), "{screen}");
    assert!(screen.contains("Checked 1,897 links"), "{screen}");
}

#[test]
fn a_crawl_that_is_stopped_from_the_view_can_be_continued() {
    let stage = Stage::new(&museum());
    let words = ["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "--triage"];
    let mut tty = Tty::start(&mut stage.command(&words), (100, 30));
    tty.shows("run 1, unfinished");
    tty.shows("crawling: ");
    tty.press("q");
    tty.shows("The crawl is still running.");
    tty.press("s");
    let (code, screen) = tty.end();
    assert_eq!(code, Some(3), "{screen}");
    assert!(screen.contains("rummage crawl --resume"), "{screen}");
    stage.run(&["crawl", "--resume", "-q"]).ends(1);
}

#[test]
fn without_a_terminal_it_says_what_to_do_instead() {
    let stage = crawled(&small());
    let outcome = stage.run(&["triage"]).ends(2);
    assert!(outcome.err.contains("needs a terminal"), "{outcome}");
    assert!(outcome.err.contains("rummage findings"), "{outcome}");
    let outcome = stage.run(&["crawl", "http://a.test", "--triage"]).ends(2);
    assert!(outcome.err.contains("needs a terminal"), "{outcome}");
    assert_eq!(stage.run(&["sites", "runs"]).ends(0).out.matches("run 2").count(), 0);
    let empty = Stage::new(&small());
    let outcome = empty.run(&["triage"]).ends(4);
    assert!(!outcome.err.contains("needs a terminal"), "{outcome}");
    let mut tty = Tty::start(program(&["triage", "--verdict", "broke"]).env("HOME", "/"), (80, 24));
    tty.shows("broke");
    let (code, _) = tty.end();
    assert_eq!(code, Some(2));
}
