//! What is found in a page, whole and torn into chunks.

use proptest::prelude::*;

use super::Extractor;
use crate::reading::Reading;

fn read(html: &str) -> Reading {
    let mut page = Extractor::new(Some("utf-8"), 1 << 20);
    page.feed(html.as_bytes());
    page.finish()
}

/// Each link as `element attribute written | text | region line:column`.
fn links(html: &str) -> Vec<String> {
    let line = |link: crate::reading::Link<'_>| {
        format!(
            "{} {} {} | {} | {} {}:{}",
            link.element.name(),
            link.attribute.name(),
            link.written,
            link.text.unwrap_or("-"),
            link.region.map_or("-", |region| region.as_str()),
            link.line,
            link.column
        )
    };
    read(html).links().map(line).collect()
}

#[test]
fn every_element_of_the_list() {
    let html = "<a href=1>one</a><area href=2 alt=two><img src=3 srcset='4 1x, 5 2x' alt=three>\n\
        <link rel=icon href=6><script src=7></script><iframe src=8></iframe>\n\
        <video src=9 poster=10><source src=11></video><picture><source srcset=12></picture>\n\
        <audio src=13></audio><object data=14></object><embed src=15>\n\
        <meta http-equiv=Refresh content='0; url=16'>";
    let found = links(html);
    let written: Vec<&str> = found.iter().map(|l| l.split(' ').nth(2).unwrap()).collect();
    let expected: Vec<String> = (1..=16).map(|n| n.to_string()).collect();
    assert_eq!(written, expected);
    assert_eq!(found[0], "a href 1 | one | - 1:1");
    assert_eq!(found[1], "area href 2 | two | - 1:18");
    assert_eq!(found[4], "img srcset 5 | three | - 1:39");
    assert_eq!(found[15], "meta content 16 | - | - 5:1");
}

#[test]
fn what_is_not_part_of_the_page_is_not_read() {
    let html = "<!-- <a href=1> --><script>'<a href=2>'</script><style><a href=3></style>\
        <textarea><a href=4></textarea><template><a href=5></a></template><title><a href=6></title>\
        <noscript><a href=7>read</a></noscript><iframe><a href=8></iframe><xmp><a href=9></xmp>";
    let column = html.find("<a href=7>").unwrap() + 1;
    assert_eq!(links(html), [format!("a href 7 | read | - 1:{column}")]);
}

#[test]
fn texts_are_decoded_folded_and_hold_the_alt_of_images() {
    for (html, text) in [
        ("<a href=x> The\n <b>old</b>&nbsp;lock &amp; gate </a>", "The old lock & gate"),
        ("<a href=x><img src=p alt='A lock'></a>", "A lock"),
        ("<a href=x><img src=p alt='Lock'>No. 3</a>", "Lock No. 3"),
        ("<a href=x><script>no</script>yes</a>", "yes"),
        ("<a href=x>never closed", "never closed"),
        ("<a href=x>one<a href=y>two", "one"),
        ("<a href=x></a>", ""),
    ] {
        assert_eq!(read(html).links().next().unwrap().text, Some(text), "{html}");
    }
}

#[test]
fn values_are_read_as_browsers_read_them() {
    for (html, written) in [
        ("<A HREF='a&amp;b'>", "a&b"),
        ("<a href=a&copy=1>", "a&copy=1"),
        ("<a href=\"x>y\">", "x>y"),
        ("<a href=first href=second>", "first"),
        ("<a href>", ""),
        ("<a\nhref = /x >", "/x"),
        ("<a href=/x/>", "/x/"),
    ] {
        assert_eq!(read(html).links().next().unwrap().written, written, "{html}");
    }
}

#[test]
fn markup_that_nobody_should_write_is_read_as_browsers_read_it() {
    for (html, expected) in [
        ("<a href=1<b>x</a>", &["1<b"][..]),
        ("<a href='1'href='2'>x</a>", &["1"]),
        ("<a / href=1>x</a>", &["1"]),
        ("<a href=1><a href=2>x</a></a>", &["1", "2"]),
        ("</a href=1>", &[]),
        ("< a href=1>x</a>", &[]),
        ("<a href=\"1>x</a><a href=2>y</a>", &[]),
        ("<a href=\"1>x</a><a href=\"2\">y</a>", &["1>x</a><a href="]),
        ("<!-- x --!><a href=1>x</a>", &["1"]),
        ("<!--><a href=1>x</a>", &["1"]),
        ("<script>document.write('<a href=1><\\/a>')</script><a href=2>x</a>", &["2"]),
        ("<script><!-- <script> </script> <a href=1> --></script><a href=2>", &["2"]),
        ("<svg><a href=1><title><a href=2></title></svg>", &["1", "2"]),
        ("<svg><style><a href=1></style></svg>", &["1"]),
        ("<plaintext><a href=1>", &[]),
        ("<img src='' srcset=''><script src></script>", &[]),
        ("<meta http-equiv=refresh content=5><meta name=refresh content='0;url=x'>", &[]),
        ("<base href=/b><a href=1>x", &["1"]),
        ("<link rel=stylesheet href=a.css><link rel=icon>", &["a.css"]),
    ] {
        let page = read(html);
        let written: Vec<&str> = page.links().map(|link| link.written).collect();
        assert_eq!(written, expected, "{html}");
    }
}

#[test]
fn places_are_ids_of_all_elements_and_names_of_anchors() {
    use crate::fragment::{Found, find};
    let page =
        read("<p id=one><a name=two><input name=three><b id='f&ouml;ur'><template><i id=five>");
    for (fragment, found) in [
        ("one", Found::Yes),
        ("two", Found::Yes),
        ("three", Found::No),
        ("f%C3%B6ur", Found::Yes),
        ("five", Found::No),
    ] {
        assert_eq!(find(page.places(), fragment), found, "{fragment}");
    }
}

#[test]
fn lines_and_columns_count_code_points_and_regions_are_the_nearest() {
    let html = "<header>\r\n<nav>Überfahrt → <a href=1>x</a></nav>\n</header><p><a href=2>y</a>";
    assert_eq!(links(html), ["a href 1 | x | nav 2:18", "a href 2 | y | - 3:13"]);
}

#[test]
fn the_first_title_and_base_count() {
    let page = read(
        "<svg><title>no</title></svg><title> Ash\nlock </title><base><base href=/b><base href=/c>",
    );
    assert_eq!((page.title(), page.base()), (Some("Ash lock"), Some("/b")));
}

#[test]
fn what_lies_beyond_the_limit_is_not_read_and_said() {
    let mut page = Extractor::new(None, 20);
    assert!(page.feed(b"<a href=1>x</a>"));
    assert!(!page.feed(b"<a href=2>x</a>"));
    let page = page.finish();
    assert!(page.cut);
    assert_eq!(page.links().count(), 1);
}

#[test]
fn hostile_pages_cost_memory_in_proportion_only() {
    let nested = "<div><section><a href=x>".repeat(40_000);
    assert_eq!(read(&nested).links().count(), 40_000);
    let closing = format!("{}{}", "<div>".repeat(100_000), "</section>".repeat(50_000));
    assert_eq!(read(&closing).links().count(), 0);
    let long = format!("<a href='{}'>{}</a>", "y".repeat(500_000), "word ".repeat(50_000));
    let page = read(&long);
    let link = page.links().next().unwrap();
    assert!(link.written.len() <= 64 * 1024 && link.text.unwrap().chars().count() <= 1001);
}

/// Pieces that make tokenizers stumble.
fn pieces() -> impl Strategy<Value = String> {
    let piece = prop::sample::select(vec![
        "<a href=x>",
        "<a href='a>b\"c'>",
        "<a title=\"x>y\" href=\"z\">",
        "</a>",
        "text ",
        "ü€𝄞",
        "\r\n",
        "\r",
        "\n",
        "<!-- > -->",
        "<!--",
        "-->",
        "<script>",
        "</script>",
        "a > b",
        "&amp;",
        "&am",
        "p;",
        "<",
        "</",
        "<nav>",
        "</nav>",
        "<img src=p alt=q>",
        "<title>",
        "</title>",
        "<!DOCTYPE html>",
        "<![CDATA[x>]]>",
        "<svg>",
        "</svg>",
        "<table><td>",
        "</table>",
        "\0",
        "<?x>",
        "<textarea>",
        "</textarea>",
        "<b id=i>",
        "href=",
        "'",
        "\"",
        ">",
        "<script><!--",
    ]);
    prop::collection::vec(piece, 0..40).prop_map(|pieces| pieces.concat())
}

proptest! {
    #[test]
    fn chunks_of_any_size_give_the_same(html in pieces(), cuts in prop::collection::vec(1usize..9, 1..60)) {
        let whole = read(&html);
        let mut page = Extractor::new(Some("utf-8"), 1 << 20);
        let (mut rest, mut cuts) = (html.as_bytes(), cuts.iter().cycle());
        while !rest.is_empty() {
            let (chunk, after) = rest.split_at((*cuts.next().unwrap()).min(rest.len()));
            page.feed(chunk);
            rest = after;
        }
        let torn = page.finish();
        prop_assert_eq!(torn.hash(), whole.hash());
        prop_assert_eq!(torn, whole);
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let mut page = Extractor::new(None, 250);
        page.feed(&bytes);
        prop_assert!(page.finish().links().count() <= bytes.len());
    }
}
