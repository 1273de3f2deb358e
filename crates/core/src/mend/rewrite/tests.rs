use proptest::prelude::*;

use super::*;
use crate::extract::{Extractor, Format};
use crate::mend::plan::{Action, Mend, Plan, Rule};

const PAGE: &str = "https://a.test/paths/";

fn mend(target: &str, action: Action, to: &str) -> Mend {
    let to = (!to.is_empty()).then(|| to.to_owned());
    Mend { target: target.to_owned(), action, to, confidence: None }
}

fn plan() -> Plan {
    Plan::new(
        vec![Rule {
            from: "http://old.test/~m/".to_owned(),
            to: "https://a.test/".to_owned(),
            mends: 3,
            tried: 3,
            confidence: None,
        }],
        vec![
            mend("https://a.test/paths/bad", Action::Replace, "https://a.test/paths/good?a=1&b=2"),
            mend("https://a.test/paths/lost", Action::Unwrap, ""),
            mend("https://a.test/lost.png", Action::Drop, ""),
            mend("htp://b.test/", Action::Replace, "http://b.test/"),
            mend("https://a.test/paths/#x", Action::Replace, "https://a.test/paths/#y"),
        ],
    )
}

fn new(kind: Kind, text: &str) -> String {
    rewrite(kind, text, &Ground::at(&plan(), PAGE).unwrap()).text
}

#[test]
fn only_the_value_changes_in_html() {
    for (text, expected) in [
        ("<a href=bad>x</a>", "<a href=good?a=1&amp;b=2>x</a>"),
        ("<A  HREF = ' bad ' >x", "<A  HREF = ' good?a=1&amp;b=2 ' >x"),
        ("<a href=\"/paths/bad#s\">", "<a href=\"/paths/good?a=1&amp;b=2#s\">"),
        ("<a href='b&#97;d'>", "<a href='good?a=1&amp;b=2'>"),
        ("<a href='#x'>", "<a href='#y'>"),
        ("<a href='htp://b.test/'>", "<a href='http://b.test/'>"),
        ("<a href='http://old.test/~m/q#r'>", "<a href='https://a.test/q#r'>"),
        ("<!-- <a href=bad> --><p>bad", "<!-- <a href=bad> --><p>bad"),
        ("<script>'<a href=bad>'</script>", "<script>'<a href=bad>'</script>"),
        (
            "<img src=bad srcset='bad 1x, bad,x 2x,bad 3x, ok'>",
            "<img src=good?a=1&amp;b=2 srcset='good?a=1&amp;b=2 1x, bad,x 2x,good?a=1&amp;b=2 3x, ok'>",
        ),
        (
            "<meta http-equiv=refresh content='5; url=bad'>",
            "<meta http-equiv=refresh content='5; url=good?a=1&amp;b=2'>",
        ),
        ("<p style=\"background: url(bad)\">", "<p style=\"background: url(good?a=1&amp;b=2)\">"),
        (
            "<style>\r\np { background: url( 'bad' ) }</style>",
            "<style>\r\np { background: url( 'good?a=1&b=2' ) }</style>",
        ),
        (
            "<script type='application/ld+json'>{\"url\": \"https:\\/\\/a.test\\/paths\\/bad\"}</script>",
            "<script type='application/ld+json'>{\"url\": \"https:\\/\\/a.test\\/paths\\/good?a=1&b=2\"}</script>",
        ),
        (
            "<base href=/other/><a href=../paths/bad>",
            "<base href=/other/><a href=../paths/good?a=1&amp;b=2>",
        ),
        // What cannot be a base is none, as in a crawl.
        ("<base href=data:x><a href=bad>", "<base href=data:x><a href=good?a=1&amp;b=2>"),
        ("<base href='http://['><a href=bad>", "<base href='http://['><a href=good?a=1&amp;b=2>"),
        ("é\r\n\t<i>ü</i><a href=bad>", "é\r\n\t<i>ü</i><a href=good?a=1&amp;b=2>"),
    ] {
        assert_eq!(new(Kind::Html, text), expected, "{text}");
    }
}

#[test]
fn links_are_unwrapped_and_images_dropped() {
    for (text, expected) in [
        ("<p>a <a href=lost title='x>y'>b <b>c</b></a> d", "<p>a b <b>c</b> d"),
        ("<p>a <img src='/lost.png' alt=''> b", "<p>a  b"),
        ("<p>a <img src='/lost.png' srcset='bad 2x'> b", "<p>a  b"),
    ] {
        assert_eq!(new(Kind::Html, text), expected, "{text}");
    }
    let text = "<a href=lost>b <a href=ok>c</a>";
    let done = rewrite(Kind::Html, text, &Ground::at(&plan(), PAGE).unwrap());
    assert_eq!(done.text, text);
    assert_eq!(done.by_hand[0].why, "the end of the element is not certain");
    assert_eq!(done.by_hand[0].text.as_deref(), Some("b"));
}

#[test]
fn stylesheets_and_other_files_are_rewritten() {
    assert_eq!(
        new(Kind::Css, "@import \"bad\";\na{b:url(/paths/bad)}c{d:url('ok')}"),
        "@import \"good?a=1&b=2\";\na{b:url(/paths/good?a=1&b=2)}c{d:url('ok')}"
    );
    assert_eq!(
        new(
            Kind::Exact,
            "{{ link('/paths/bad', \"x\") }} see https://a.test/paths/bad. /paths/bad2 a/paths/bad"
        ),
        "{{ link('/paths/good?a=1&b=2', \"x\") }} see https://a.test/paths/good?a=1&b=2. \
         /paths/bad2 a/paths/bad"
    );
}

#[test]
fn markdown_is_rewritten_in_all_its_forms() {
    for (text, expected) in [
        ("[x](bad) and [y](<bad> 'z')", "[x](good?a=1&b=2) and [y](<good?a=1&b=2> 'z')"),
        ("![x](bad \"t\")", "![x](good?a=1&b=2 \"t\")"),
        ("[![i](ok)](bad)", "[![i](ok)](good?a=1&b=2)"),
        ("[![i](bad)](bad)", "[![i](good?a=1&b=2)](good?a=1&b=2)"),
        ("[x][r]\n\n[r]: bad 'title'", "[x][r]\n\n[r]: good?a=1&b=2 'title'"),
        ("[x][label]\n\n[label]:\n<bad>\n", "[x][label]\n\n[label]:\n<good?a=1&b=2>\n"),
        ("<https://a.test/paths/bad>", "<https://a.test/paths/good?a=1&b=2>"),
        ("`[x](bad)`\n\n    [x](bad)\n", "`[x](bad)`\n\n    [x](bad)\n"),
        ("a <a href=bad>x</a>", "a <a href=good?a=1&amp;b=2>x</a>"),
        ("<div>\n<img src='bad'>\n</div>", "<div>\n<img src='good?a=1&amp;b=2'>\n</div>"),
        ("see [the *path*](lost).", "see the *path*."),
        ("see ![the path](/lost.png).", "see ."),
        ("> - [x](/paths/bad#s)\r\n", "> - [x](/paths/good?a=1&b=2#s)\r\n"),
    ] {
        assert_eq!(new(Kind::Markdown, text), expected, "{text}");
    }
}

#[test]
fn changes_and_what_is_left_have_their_lines() {
    let lines = |kind, text: &str| {
        let done = rewrite(kind, text, &Ground::at(&plan(), PAGE).unwrap());
        let changed: Vec<u32> = done.changes.iter().map(|change| change.line).collect();
        let left: Vec<u32> = done.by_hand.iter().map(|one| one.line).collect();
        (changed, left)
    };
    let html = "<p>\n<a href=bad>\n<img src=/lost.png>\r\n<a href=lost>";
    assert_eq!(lines(Kind::Html, html), (vec![2, 3], vec![4]));
    assert_eq!(
        lines(Kind::Markdown, "x\n\n[x](bad)\n\n<p>\n<a href=bad>y</a>\n<a href=lost>\n</p>\n"),
        (vec![3, 6], vec![7])
    );
    assert_eq!(lines(Kind::Css, "a{}\nb{c:url(bad)}\nd{e:url(/lost.png)}"), (vec![2], vec![3]));
    assert_eq!(lines(Kind::Exact, "\n'/paths/bad'\n'/lost.png'"), (vec![2], vec![3]));
}

/// The references of a page, in order.
fn references(text: &str) -> Vec<String> {
    let mut extractor = Extractor::new(Format::Html, Some("utf-8"), usize::MAX);
    extractor.feed(text.as_bytes());
    extractor.finish().links().map(|link| link.written.to_owned()).collect()
}

/// Pieces of pages, with `@` where a reference is.
const PIECES: &[&str] = &[
    "<p>text",
    "<a href=@>x</a>",
    "<a title=bad href=\"@\">bad</a>",
    "<img src='@' alt=bad srcset='ok 1x, @ 2x'>",
    "<!-- <a href=@> -->",
    "<textarea><a href=@></textarea>",
    "<link rel=stylesheet href='@'>",
    "<p style='background:url(@)'>",
    "é\r\n",
    "<style>p{background:url(\"@\")}</style>",
    "<iframe srcdoc=\"<a href='@'>\"></iframe>",
    "<form action='@'></form>",
    "<a href='@",
    "&amp;<b",
];

proptest! {
    /// After the plan was applied, the page has exactly the planned links, and all others as they
    /// were; and applying it again changes nothing.
    #[test]
    fn a_page_has_exactly_the_planned_links(
        pieces in prop::collection::vec((0..PIECES.len(), any::<bool>()), 1..12),
    ) {
        let page: String = pieces
            .iter()
            .map(|(piece, bad)| PIECES[*piece].replace('@', if *bad { "bad" } else { "fine" }))
            .collect();
        let new = "https://a.test/paths/new";
        let plan = Plan::new(Vec::new(), vec![mend("https://a.test/paths/bad", Action::Replace, new)]);
        let ground = Ground::at(&plan, PAGE).unwrap();
        let done = rewrite(Kind::Html, &page, &ground);
        let by_hand = done.by_hand.len();
        let expected: Vec<String> = references(&page)
            .into_iter()
            .map(|written| if written == "bad" { "new".to_owned() } else { written })
            .collect();
        let found = references(&done.text);
        let still: usize = found.iter().filter(|written| *written == "bad").count();
        prop_assert_eq!(still, by_hand, "{}", &page);
        let found: Vec<String> =
            found.into_iter().map(|w| if w == "bad" { "new".to_owned() } else { w }).collect();
        prop_assert_eq!(found, expected);
        let again = rewrite(Kind::Html, &done.text, &ground);
        prop_assert_eq!(&again.text, &done.text);
        if !references(&page).iter().any(|written| written == "bad") {
            prop_assert_eq!(&done.text, &page);
        }
    }

    /// Nothing panics, and what no plan concerns stays as it is.
    #[test]
    fn any_text_is_survived(text in "[ -~é\\n\\r<>&;'\"=/()\\[\\]!@#]{0,120}") {
        let plan = Plan::default();
        let ground = Ground::at(&plan, PAGE).unwrap();
        for kind in [Kind::Html, Kind::Xhtml, Kind::Css, Kind::Markdown, Kind::Exact] {
            prop_assert_eq!(&rewrite(kind, &text, &ground).text, &text);
        }
        let everything = Plan::new(
            vec![Rule { from: "https://a.test/".into(), to: "https://b.test/".into(),
                mends: 1, tried: 1, confidence: None }],
            Vec::new(),
        );
        let ground = Ground::at(&everything, PAGE).unwrap();
        for kind in [Kind::Html, Kind::Xhtml, Kind::Css, Kind::Markdown, Kind::Exact] {
            let _ = rewrite(kind, &text, &ground);
        }
    }
}
