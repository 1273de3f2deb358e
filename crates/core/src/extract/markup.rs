//! Tokenizes decoded HTML piece by piece, and adds line numbers to its links.
//!
//! What is usual is read by `scan`, everything else by `exact`: they take turns, and both pass on
//! the same texts and tags to `interpreter`. `repeats` leaves out what was read before.

use std::sync::Arc;

use super::exact::Exact;
use super::interpreter::{Interpreter, Reading};
use super::lines::position_within;
use super::piece::{Piece, Positions};
use super::repeats::{RepeatFinder, Repeats};
use super::scan::{Stop, scan};
use crate::extract::reading_builder::ReadingBuilder;

pub(super) struct Markup {
    turn: Option<Turn>,
    turns: Turns,
    positions: Positions,
    repeats: RepeatFinder,
}

/// Who reads what follows.
enum Turn {
    Scan(Box<Interpreter>),
    Exact(Box<Exact>),
}

impl Markup {
    pub(super) fn new(how: Reading, url: &str) -> Markup {
        let page = Interpreter::new(how, url, Markup::read_nested);
        let turn = Some(Turn::Scan(Box::new(page)));
        let (turns, positions) = (Turns::default(), Positions::default());
        Markup { turn, turns, positions, repeats: RepeatFinder::default() }
    }

    /// Parts that were read before are not read again.
    pub(super) fn set_repeats(&mut self, repeats: Arc<Repeats>) {
        self.repeats = RepeatFinder::new(Some(repeats));
    }

    /// Parses a page in an attribute.
    fn read_nested(how: Reading, srcdoc: &str) -> crate::extract::reading::Reading {
        let mut page = Markup::new(how, "");
        page.feed(srcdoc, true).expect("the end of the input gives the reading").finish(false)
    }

    /// Takes a piece that ends with a `>`, or the last one, which returns the reading.
    pub(super) fn feed(&mut self, text: &str, is_last: bool) -> Option<Box<ReadingBuilder>> {
        self.feed_by(scan, text, is_last)
    }

    /// The same with this scan.
    fn feed_by(&mut self, scan: Scan, text: &str, is_last: bool) -> Option<Box<ReadingBuilder>> {
        let mut piece = Piece::new(text, self.positions.piece_start, is_last);
        self.positions.begin_piece(&piece);
        self.repeats.begin_piece(piece.has_cr);
        let ended = loop {
            match self.turn.take()? {
                Turn::Scan(mut page) => {
                    match scan(&mut page, &mut piece, &mut self.positions, &mut self.repeats) {
                        Stop::Unusual(state) => {
                            let offset = piece.start + piece.at;
                            let exact = Exact::new(page, offset, state, self.turns.tags(offset));
                            self.turn = Some(Turn::Exact(Box::new(exact)));
                        }
                        Stop::End if is_last => break Some(page),
                        Stop::End => {
                            self.turn = Some(Turn::Scan(page));
                            break None;
                        }
                    }
                }
                Turn::Exact(mut exact) => match exact.read(&mut piece, &mut self.positions) {
                    Some(page) => {
                        self.turns.scans_from = piece.start + piece.at;
                        self.turn = Some(Turn::Scan(page));
                    }
                    None => {
                        self.turn = Some(Turn::Exact(exact));
                        break None;
                    }
                },
            }
        };
        self.positions.end_piece(text);
        let (mut builder, within) = ended?.finish();
        for link in builder.links_from(0) {
            (link.line, link.column) = self.positions.list[link.line as usize];
        }
        for (number, within) in within {
            let link = builder.link_mut(number);
            (link.line, link.column) = position_within((link.line, link.column), within);
        }
        Some(builder)
    }
}

/// How long `exact` reads when it is its turn.
#[derive(Default)]
struct Turns {
    /// Where `scan` had its last turn.
    scans_from: usize,
    tags: u32,
}

impl Turns {
    /// How many tags `exact` reads from this offset on: one, but twice as many each time if `scan`
    /// reads hardly anything in between. To take turns costs as much as to read some hundred bytes.
    fn tags(&mut self, offset: usize) -> u32 {
        let is_worth_it = offset - self.scans_from >= 200;
        self.tags = if is_worth_it { 1 } else { (self.tags * 2).clamp(1, 256) };
        self.tags
    }
}

type Scan = fn(&mut Interpreter, &mut Piece<'_>, &mut Positions, &mut RepeatFinder) -> Stop;

#[cfg(test)]
mod tests {
    use html5gum::State;
    use proptest::prelude::*;

    use super::*;
    use crate::extract::reading::Reading as Page;

    /// Parses a page that arrives in these pieces.
    fn read(pieces: &[&str], xml: bool, scan: Scan) -> Page {
        read_again(pieces, xml, scan, None)
    }

    fn read_again(pieces: &[&str], xml: bool, scan: Scan, repeats: Option<&Arc<Repeats>>) -> Page {
        let how = Reading { xml, with_sketch: true, depth: 0, most_links: 1000 };
        let mut markup = Markup::new(how, "http://a.test/page");
        if let Some(repeats) = repeats {
            markup.set_repeats(Arc::clone(repeats));
        }
        let (last, others) = pieces.split_last().expect("there is a piece");
        for piece in others {
            assert!(markup.feed_by(scan, piece, false).is_none());
        }
        markup.feed_by(scan, last, true).expect("the end gives the reading").finish(false)
    }

    /// Finds everything unusual.
    fn never(
        _: &mut Interpreter,
        piece: &mut Piece<'_>,
        _: &mut Positions,
        _: &mut RepeatFinder,
    ) -> Stop {
        if piece.at == piece.text.len() { Stop::End } else { Stop::Unusual(State::Data) }
    }

    /// Both ways to read it agree, in one piece or in several.
    fn check(html: &str) {
        for xml in [false, true] {
            let exact = read(&[html], xml, never);
            let show = |page: &Page| format!("{page:#?} {:?} {:?}", page.anchors(), page.heading());
            let agrees = |page: Page, how: &str| {
                assert_eq!(show(&page), show(&exact), "{how}, XML: {xml}: {html:?}");
                assert!(page == exact, "{how}, XML: {xml}: {html:?}");
            };
            agrees(read(&[html], xml, scan), "in one piece");
            let pieces: Vec<&str> = html.split_inclusive('>').collect();
            if !pieces.is_empty() {
                agrees(read(&pieces, xml, scan), "in pieces");
            }
        }
    }

    /// What was read before is read alike again, wherever it is.
    fn check_again(one: &str, other: &str) {
        let pages = [one, other].map(str::to_owned);
        let both = [[one, other].concat(), [other, one].concat(), [one, one, one].concat()];
        let inside = format!("<nav><ul><li>\n{one}\n</nav>{other}");
        let repeats = Arc::new(Repeats::of_any_length());
        for round in 0..4 {
            for page in pages.iter().chain(&both).chain([&inside]) {
                let exact = read(&[page], false, never);
                let again = read_again(&[page], false, scan, Some(&repeats));
                let show =
                    |page: &Page| format!("{page:#?} {:?} {:?}", page.anchors(), page.heading());
                assert_eq!(show(&again), show(&exact), "round {round}: {page:?}");
                assert!(again == exact, "round {round}: {page:?}");
            }
        }
    }

    #[test]
    fn turns_are_longer_where_much_is_unusual() {
        let mut turns = Turns::default();
        assert_eq!([0, 10, 20, 150].map(|offset| turns.tags(offset)), [1, 2, 4, 8]);
        turns.scans_from = 150;
        assert_eq!([350, 400].map(|offset| turns.tags(offset)), [1, 1]);
        turns.scans_from = 400;
        assert_eq!((0..12).map(|_| turns.tags(400)).max(), Some(256));
    }

    #[test]
    fn usual_markup_is_read_like_all_other() {
        for html in [
            "",
            "a < b <3 & c &amp; d &copy e &#8212; &#x41; &#0; <",
            "<A HREF=/x CLASS='b' disabled>Up</A  ><br/><br / ><img src=a/b.png/>",
            "<a href='?a=1&b=2&copy=3&amp;c=4&copy;&lt'>x</a>",
            "<a href=\"x\"id=y>1</a><a href = 'z' >2</a><a\thref\n=\ny>3</a>",
            "<a href=>x</a><a href=\"\">y</a><a =b href=c>d</a><a href='x'/title=t>e</a>",
            "<a\"b href=x>y</a\"b><a href=x\"y>z</a><a b<c href=d>e</a><p/x href=y>",
            "<!-- > <a href=x> --><!----><!--><!---><a href=y>z</a><!-- --!><a href=v>w</a>",
            "<!doctype html public \"a>b\"><!DOCTYPE><!x <a href=y>><?php <a href=z>?></ x></>",
            "<title>a &amp; b <b> &notin; </titl></title x><a href=y>z</a>",
            "<title>&</title><title>x</title",
            "<style>a{background:url(x.png)}</style><script>'</script'+'<a href=x>'</script>",
            "<script><!-- <script> </script> --></script><a href=x>y</a><script>",
            "<textarea><a href=x></textarea\n><a href=y>z</a><plaintext><a href=v>",
            "<svg><title><a xlink:href=x>y</a></title><![CDATA[<a href=z>]]></svg><![CDATA[x]]>",
            "one\r\ntwo\r<a\r\nhref=x>y\rz</a>\r\n<a href='a\r\nb'>c</a>\r",
            "a\0b<a href=x>c\0</a><a href='d\0'>e</a><a\0 href=f>g</a><title>\0</title>",
            "<p title=\"<a href=x>\"><a title='>' href=y>z</a>",
            "<h1>One <b>two</b></h1><a href=x><img src=y alt='a &eacute; b'> c</a>",
            "<iframe srcdoc=\"<a href='x'>y</a>\"></iframe><noscript><a href=z>z</a></noscript>",
            "<a href=x><em>a</em> <b class=\"c\">d</b><i></i></a><b>e</b ><b>f</B><u>g</u",
            "<svg><a href=x><g></a><b>one</b></svg><svg><title><i>two</i></title></svg>",
            "<nav class=\"b\"><a href=x>y</a></nav><p class=\"b\" id=i><a class=\"b\" href=y>z</a>",
            "<frameset><b>y</b><frameset><frame src=x></frameset>",
            "<p><a href=x></p><b>one</b><svg><g>two</g></svg>",
        ] {
            check(html);
        }
    }

    #[test]
    fn an_element_that_is_too_deep_closes_what_is_around_it() {
        for depth in 508..514 {
            let around = "<i>".repeat(depth);
            check(&format!("<b><span role=navigation>{around}<b>x</b><a href=x>y</a>"));
        }
    }

    proptest! {
        #[test]
        fn any_markup_is_read_alike(parts in prop::collection::vec(prop::sample::select(PARTS), 0..24)) {
            check(&parts.concat());
        }

        #[test]
        fn parts_are_read_alike_again(
            one in prop::collection::vec(prop::sample::select(PARTS), 0..24),
            other in prop::collection::vec(prop::sample::select(PARTS), 0..24),
        ) {
            check_again(&one.concat(), &other.concat());
        }
    }

    /// What pages are made of, and what breaks them.
    const PARTS: &[&str] = &[
        "<",
        ">",
        "/",
        "</",
        "/>",
        "=",
        "\"",
        "'",
        "&",
        ";",
        "#",
        "!",
        "--",
        "<!--",
        "-->",
        "?",
        "`",
        " ",
        "\n",
        "\r\n",
        "\r",
        "\0",
        "\t",
        "a",
        "x1",
        "É",
        "😀",
        "&amp;",
        "&nbsp",
        "&#8212;",
        "&#x1",
        "&lt;",
        "<a href=",
        "<A HREF='",
        "<a ",
        "href=\"",
        "</a>",
        "</A >",
        "<p>",
        "</p>",
        "<title>",
        "</title>",
        "<script>",
        "</script>",
        "<style>",
        "</style>",
        "<svg>",
        "</svg>",
        "<![CDATA[",
        "]]>",
        "<!DOCTYPE html>",
        "<td>",
        "<table>",
        "</table>",
        "<b>",
        "</b>",
        "<b>x</b>",
        "<em class=\"x>'\">&lt;x</em>",
        "<span class=\"a\">",
        "</span>",
        "<code class=\"a\" id=\"c\">x",
        "</code>",
        "<frameset>",
        "<frame src=x>",
        "<nav>",
        "</nav>",
        "<h1>",
        "</h1>",
        "<img src=x alt='y'>",
        " id=z",
        " title=\"t\"",
        "<textarea>",
        "</textarea>",
        "url(x)",
        "<template>",
        "</template>",
        "<math>",
        "<mi>",
        "<form>",
        "<form method=post>",
        "</form>",
        "<button formaction=x>",
        "<li>",
        "<ul>",
        "</ul>",
        "<div id=d>",
        "</div>",
        "<a href=x title=t>y</a>",
        "<style>",
        "<iframe srcdoc='<a href=x>'>",
    ];
}
