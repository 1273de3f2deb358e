use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::style::Color;
use rummage_core::verdict::Verdict;
use rummage_view::{Section, TargetId};

use super::*;
use crate::effect::{Changes, Decided, DiffLine, Index, LiveCrawl, Msg, Proposal, Recheck};
use crate::machine::testing::{Driven, index, row};

/// The screen as text, with `▮` for the cursor.
fn screen(driven: &Driven, width: u16, height: u16) -> String {
    let mut terminal = Terminal::new(TestBackend::new(width, height)).expect("it is in memory");
    let mut cursor = None;
    terminal
        .draw(|frame| {
            let area = frame.area();
            let palette = Palette { colored: true };
            cursor = render(&driven.state, palette, area, frame.buffer_mut());
        })
        .expect("it is in memory");
    let buffer = terminal.backend().buffer().clone();
    let mut text = String::new();
    for y in 0..height {
        let mut line = String::new();
        for x in 0..width {
            line.push_str(if cursor == Some((x, y)) { "▮" } else { buffer[(x, y)].symbol() });
        }
        text.push_str(line.trim_end());
        text.push('\n');
    }
    text
}

#[test]
fn the_usual_screen_has_list_and_detail() {
    insta::assert_snapshot!("usual", screen(&Driven::new(80, 24, 1..=9), 80, 24));
    insta::assert_snapshot!("wide", screen(&Driven::new(120, 40, 1..=9), 120, 40));
    insta::assert_snapshot!("narrow", screen(&Driven::new(60, 20, 1..=9), 60, 20));
}

#[test]
fn decisions_and_rechecks_are_shown_in_their_lines() {
    let mut driven = Driven::new(80, 24, 1..=9);
    driven.press("x");
    let decided = Decided { summary: "plan.toml: unwrap".to_owned(), commands: Vec::new() };
    driven.handle(Msg::Decided(1, Ok(decided)));
    driven.press("r");
    let now = Recheck { verdict: Some(Verdict::Sound), cause: "200 OK".to_owned(), is_same: false };
    driven.handle(Msg::Rechecked(vec![(TargetId(2), now)], String::new()));
    driven.press("  k");
    insta::assert_snapshot!("decided", screen(&driven, 80, 24));
}

#[test]
fn groups_have_heads() {
    let mut driven = Driven::new(80, 24, 1..=4);
    let section = |title: &str, targets: &[u32]| Section {
        title: title.to_owned(),
        targets: targets.to_vec(),
    };
    let sections = Some(vec![section("a.test", &[0, 1]), section("b.test", &[2, 3])]);
    driven.press("b");
    driven.handle(Msg::Index(Index { sections, ..index(2, 1..=4) }));
    driven.press("kkk ");
    insta::assert_snapshot!("groups", screen(&driven, 80, 24));
}

#[test]
fn forms_are_over_the_list() {
    let mut driven = Driven::new(80, 24, 1..=9);
    driven.press("l⏎");
    insta::assert_snapshot!("waive", screen(&driven, 80, 24));
    driven.press("⎋c");
    let proposal = |to: &str, why: &str| Proposal {
        target: TargetId(1),
        to: to.to_owned(),
        is_sure: true,
        why: why.to_owned(),
    };
    let found = vec![
        proposal("http://a.test/news/rota.html", "high: another form of the URL; 200 OK"),
        proposal("http://a.test/news/", "low: the folder; 200 OK"),
    ];
    driven.handle(Msg::Proposed(vec![TargetId(1)], Ok(found)));
    insta::assert_snapshot!("url", screen(&driven, 80, 24));
    driven.press("⎋d");
    insta::assert_snapshot!("decide", screen(&driven, 80, 24));
    driven.press("⎋f--verdict ");
    insta::assert_snapshot!("filter", screen(&driven, 80, 24));
}

#[test]
fn the_help_lists_every_key_and_scrolls() {
    let mut driven = Driven::new(80, 24, 1..=9);
    driven.press("?");
    insta::assert_snapshot!("help", screen(&driven, 80, 24));
    driven.press("jjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjjj");
    assert!(screen(&driven, 80, 24).contains("Ctrl-Z"));
}

#[test]
fn the_changes_are_a_diff_on_the_whole_screen() {
    let mut driven = Driven::new(80, 24, 1..=9);
    driven.press("v");
    let text = |text: &str| text.to_owned();
    let changes = Changes {
        lines: vec![
            DiffLine::File(text("visit/index.html")),
            DiffLine::Hunk(text("@@ -3,3 +3,3 @@")),
            DiffLine::Same(text("<ul>")),
            DiffLine::Old(text("<a href=\"/rota\">Rota</a>")),
            DiffLine::New(text("<a href=\"/rota.html\">Rota</a>")),
            DiffLine::Same(text("</ul>")),
        ],
        summary: text("1 link in 1 file"),
        files: 1,
    };
    driven.handle(Msg::Changes(Ok(changes)));
    insta::assert_snapshot!("changes", screen(&driven, 80, 24));
}

#[test]
fn a_crawl_that_goes_on_is_shown_and_leaving_is_confirmed() {
    let mut driven = Driven::new(80, 24, 1..=9);
    let progress = "crawling: 120 of 400 URLs".to_owned();
    driven.handle(Msg::Live(LiveCrawl { progress, done: 120, has_ended: false }));
    driven.press("q");
    insta::assert_snapshot!("leaving", screen(&driven, 80, 24));
}

#[test]
fn an_empty_list_says_why() {
    let text = |driven: &Driven| screen(driven, 80, 24);
    let mut driven = Driven::new(80, 24, []);
    assert!(text(&driven).contains("Nothing that was checked needs a decision."));
    driven.press("frota⏎");
    driven.handle(Msg::Index(index(2, [])));
    assert!(text(&driven).contains("Nothing matches the filter."));
    let live = LiveCrawl { progress: String::new(), done: 0, has_ended: false };
    driven.handle(Msg::Live(live));
    assert!(text(&driven).contains("Nothing was found so far."));
}

#[test]
fn hostile_texts_do_not_leave_their_place() {
    let mut driven = Driven::new(80, 24, 1..=3);
    // A cell is a character here: the columns right of a text show whether it stayed in its place.
    let ends = |shown: &str| -> Vec<usize> {
        shown.lines().skip(2).take(3).map(|line| line.chars().count()).collect()
    };
    let usual = ends(&screen(&driven, 80, 24));
    let evil = "http://a.test/\u{1b}[2J\u{202e}運河博物館運河博物館運河博物館運河博物館運河博物館運河博物館";
    let rows = (0..3).map(|at| {
        let line = row(u64::from(at) + 1);
        (at, rummage_view::TargetLine { target: evil.to_owned(), cause: evil.to_owned(), ..line })
    });
    driven.handle(Msg::Rows(1, rows.collect()));
    let shown = screen(&driven, 80, 24);
    assert!(!shown.contains(['\u{1b}', '\u{202e}']));
    assert!(shown.contains("\\u{1b}[2J"), "{shown}");
    assert_eq!(ends(&shown), usual, "{shown}");
}

#[test]
fn a_long_url_does_not_hide_the_evidence() {
    let mut driven = Driven::new(80, 24, 1..=3);
    let mut long = crate::machine::testing::detail(1, 1);
    long.line.target = format!("http://a.test/{}end", "x".repeat(6000));
    driven.handle(Msg::Detail(TargetId(1), Some(Box::new(long))));
    let shown = screen(&driven, 80, 24);
    assert!(shown.contains("xend\n") && shown.contains("\nrequests\n"), "{shown}");
}

#[test]
fn any_size_can_be_drawn_in_any_mode() {
    for keys in ["", "l", "c", "d", "?", "f", "/", "v", "⏎"] {
        for (width, height) in [(60, 20), (40, 10), (20, 6), (12, 4), (5, 2), (1, 1)] {
            let mut driven = Driven::new(width, height, 1..=9);
            driven.press(keys);
            let lines = screen(&driven, width, height);
            assert_eq!(lines.lines().count(), usize::from(height), "{keys} {width}x{height}");
        }
    }
    let mut driven = Driven::new(80, 24, 1..=9);
    driven.handle(Msg::Live(LiveCrawl { progress: String::new(), done: 0, has_ended: false }));
    driven.press("q");
    assert_eq!(screen(&driven, 3, 3).lines().count(), 3);
}

#[test]
fn without_colors_nothing_is_colored() {
    let driven = Driven::new(80, 24, 1..=9);
    let mut terminal = Terminal::new(TestBackend::new(80, 24)).expect("it is in memory");
    for colored in [false, true] {
        terminal
            .draw(|frame| {
                let area = frame.area();
                render(&driven.state, Palette { colored }, area, frame.buffer_mut());
            })
            .expect("it is in memory");
        let cells = &terminal.backend().buffer().content;
        let plain = cells.iter().all(|cell| cell.fg == Color::Reset && cell.bg == Color::Reset);
        assert_eq!(plain, !colored);
    }
}
