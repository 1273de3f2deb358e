//! What is found in a page, in one piece and in chunks.

use proptest::prelude::*;

use super::{Extractor, Format, Limits};
use crate::extract::reading::{Link, Reading};

fn read(html: &str) -> Reading {
    read_as(Format::Html, Some("utf-8"), html.as_bytes())
}

fn read_as(format: Format, charset: Option<&str>, body: &[u8]) -> Reading {
    let mut page = Extractor::new(format, charset, 1 << 20);
    page.feed(body);
    page.finish()
}

/// Each link as `element attribute written`.
fn brief(reading: &Reading) -> Vec<String> {
    let line = |link: crate::extract::reading::Link<'_>| {
        format!("{} {} {}", link.element.name(), link.attribute.name(), link.written)
    };
    reading.links().map(line).collect()
}

/// Each link as `element attribute written | text | region line:column`.
fn links(html: &str) -> Vec<String> {
    let line = |link: crate::extract::reading::Link<'_>| {
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

/// Where elements are implied, links have the ancestors that XHTML writes out.
#[test]
fn implied_parts_of_tables_are_ancestors() {
    let ancestors = |format, markup: &str| -> Vec<u32> {
        let reading = read_as(format, Some("utf-8"), markup.as_bytes());
        reading.links().map(|link| link.ancestor_hash).collect()
    };
    for (implied, written) in [
        ("<table><tr><td>A", "<table><tbody><tr><td>A</td></tr></tbody></table>"),
        ("<table><td>A", "<table><tbody><tr><td>A</td></tr></tbody></table>"),
        ("<table><thead><th>A", "<table><thead><tr><th>A</th></tr></thead></table>"),
        (
            "<table><thead><tr><th>A<tbody><tr><td>A",
            "<table><thead><tr><th>A</th></tr></thead><tbody><tr><td>A</td></tr></tbody></table>",
        ),
        ("<table><caption>A", "<table><caption>A</caption></table>"),
    ] {
        let link = "<a href='/x'>x</a>";
        let page = |table: &str| format!("<html><body>{}", table.replace('A', link));
        let whole = page(written) + "</body></html>";
        let expected = ancestors(Format::Xhtml, &whole);
        assert!(!expected.is_empty());
        assert_eq!(ancestors(Format::Html, &page(implied)), expected, "{implied}");
        assert_eq!(ancestors(Format::Html, &whole), expected, "{written}");
    }
}

#[test]
fn html_in_an_annotation_of_mathml_is_html() {
    let image = |encoding: &str| {
        links(&format!("<math><annotation-xml encoding='{encoding}'><image src=/i.png>")).len()
    };
    assert_eq!(
        ["TEXT/html", "application/xhtml+xml", "image/svg+xml", ""].map(image),
        [1, 1, 0, 0]
    );
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
fn every_kind_of_link_is_found() {
    for (html, expected) in [
        ("<a href=x>", &["a href x"][..]),
        ("<area href=x>", &["area href x"]),
        ("<audio src=x>", &["audio src x"]),
        ("<body background=x>", &["body background x"]),
        ("<embed src=x>", &["embed src x"]),
        ("<form action=x>", &["form action x"]),
        ("<form action=x method=GET>", &["form action x"]),
        ("<form action=x method=whatever>", &["form action x"]),
        ("<form action=x method=post>", &[]),
        ("<form method=' Dialog' action=x>", &[]),
        ("<form><button formaction=x>", &["button formaction x"]),
        ("<form method=post><button formaction=x>", &[]),
        ("<form method=post><button formaction=x formmethod=get>", &["button formaction x"]),
        ("<form><input type=submit formaction=x formmethod=POST>", &[]),
        ("<form><input type=submit formaction=x>", &["input formaction x"]),
        ("<form><input type=text formaction=x>", &[]),
        ("<form><button type=button formaction=x>", &[]),
        ("<button formaction=x>", &[]),
        ("<form method=post><form><button formaction=x>", &[]),
        ("<form method=post></form><form><button formaction=x>", &["button formaction x"]),
        ("<frameset><frame src=x></frameset>", &["frame src x"]),
        ("<frame src=x>", &[]),
        ("<iframe src=x></iframe>", &["iframe src x"]),
        ("<img src=x>", &["img src x"]),
        ("<img srcset='x 1x, y,z 2x'>", &["img srcset x", "img srcset y,z"]),
        ("<image src=x>", &["img src x"]),
        ("<input type=image src=x>", &["input src x"]),
        ("<input type=text src=x>", &[]),
        ("<link href=x>", &["link href x"]),
        ("<link imagesrcset='x 1x'>", &["link imagesrcset x"]),
        ("<meta http-equiv=refresh content='0;x'>", &["meta content x"]),
        ("<meta property=og:image content=x>", &["meta content x"]),
        ("<meta property='OG:URL' content=x>", &["meta content x"]),
        ("<meta name=twitter:image content=x>", &["meta content x"]),
        ("<meta property=og:title content=x>", &[]),
        ("<object data=x>", &["object data x"]),
        ("<script src=x></script>", &["script src x"]),
        ("<source src=x srcset=y>", &["source src x", "source srcset y"]),
        ("<track src=x>", &["track src x"]),
        ("<video src=x poster=y>", &["video src x", "video poster y"]),
        ("<svg><use href=x#y></svg>", &["use href x#y"]),
        ("<svg><use xlink:href=x#y /></svg>", &["use xlink:href x#y"]),
        ("<svg><use href=#y xlink:href=x></svg>", &[]),
        ("<svg><image xlink:href=x /></svg>", &["image xlink:href x"]),
        ("<svg><a xlink:href=x>t</a></svg>", &["a xlink:href x"]),
        ("<use href=x>", &[]),
        // Lazy-loaded images.
        ("<img data-src=x>", &["img data-src x"]),
        ("<img src='' data-src=x data-srcset='y 2x'>", &["img data-src x", "img data-srcset y"]),
        ("<img src=' DATA:,' data-src=x>", &["img src  DATA:,", "img data-src x"]),
        ("<img src=y data-src=x data-srcset=z>", &["img src y"]),
        ("<source srcset=y data-srcset=x>", &["source srcset y"]),
        ("<iframe data-src=x></iframe>", &["iframe data-src x"]),
        // Inline styles.
        ("<p style='background:url(x)'>", &["p style x"]),
        ("<p style='background:url(\"x\")'>", &["p style x"]),
        ("<my-card style='background:url(x)'>", &["other style x"]),
        ("<p style=\"b:image-set('x' 1x, 'y' 2x)\">", &["p style x", "p style y"]),
        ("<style>@import 'x'; a { b: url(y) }</style>", &["style import x", "style url y"]),
        ("<style>a { b: url(x) }", &["style url x"]),
        ("<svg><style>a { b: url(x) }</style></svg>", &[]),
        // Structured data.
        (
            "<script type=application/ld+json>{\"@id\":\"y\",\"image\":\"x\"}</script>",
            &["script content x"],
        ),
        (
            "<script type='Application/LD+JSON; charset=utf-8'>[{\"url\":\"x\"},{\"logo\":\"y\"}]",
            &["script content x", "script content y"],
        ),
        ("<script>{\"url\":\"x\"}</script><script content=x></script>", &[]),
        ("<template><script type=application/ld+json>{\"url\":\"x\"}</script></template>", &[]),
        // A page in an attribute, and one in that.
        ("<iframe srcdoc='<a href=x>t</a><a href=#y>'></iframe>", &["a href x"]),
        ("<iframe srcdoc=\"<iframe srcdoc='<img src=x>'>\"></iframe>", &["img src x"]),
        // Not links.
        ("<q cite=x>", &[]),
        ("<a href=x ping=y>", &["a href x"]),
        ("<base href=x>", &[]),
        ("<template><img src=x></template>", &[]),
        ("<svg><script>'<image href=x>'</script></svg>", &[]),
    ] {
        assert_eq!(brief(&read(html)), expected, "{html}");
    }
}

#[test]
fn a_link_for_programs_may_show_only_by_its_type() {
    for (html, rel) in [
        ("<link type=application/json+oembed href=x>", Some("oembed")),
        ("<link rel=alternate type='Text/XML+oEmbed' href=x>", Some("alternate oembed")),
        ("<link type=text/css href=x>", None),
        ("<a type=application/json+oembed href=x>", None),
    ] {
        assert_eq!(read(html).links().next().unwrap().rel, rel, "{html}");
    }
}

#[test]
fn text_rel_and_scripts_of_a_link_are_kept() {
    let page = read(
        "<meta property=og:image content=1><a rel=nofollow href=2>t</a><input type=image src=3 \
         alt=Go><nav><iframe srcdoc='<a href=4>in</a>'></iframe></nav><nav style='a:url(5)'>",
    );
    let seen: Vec<_> =
        page.links().map(|l| (l.rel, l.text, l.region.map(|r| r.as_str()))).collect();
    assert_eq!(
        seen,
        [
            (Some("og:image"), None, None),
            (Some("nofollow"), Some("t"), None),
            (None, Some("Go"), None),
            (None, Some("in"), Some("nav")),
            (None, None, Some("nav")),
        ]
    );
    assert!(read("<svg><script/></svg>").scripted && !read("<p>script").scripted);
}

#[test]
fn a_link_is_scripted_by_what_its_element_says() {
    let scripted = |attributes: &str| {
        read(&format!("<a href='#x' {attributes}>t</a>")).links().next().unwrap().scripted
    };
    for attributes in [
        "role=Button",
        "role=tab",
        "aria-controls=x",
        "onclick='go()'",
        "data-toggle",
        "data-bs-toggle=x",
    ] {
        assert!(scripted(attributes), "{attributes}");
    }
    for attributes in
        ["", "role=link", "data-x=toggle", "data-toggled", "toggle", "x-toggle", "oncopy='go()'"]
    {
        assert!(!scripted(attributes), "{attributes}");
    }
}

#[test]
fn self_closing_tags_close_elements_in_xhtml() {
    let body = "<html><head><title/><script src='1'/><style/></head><body><a id='x'/>\
        <script>//<![CDATA[\n'<a href=\"no\">'\n//]]></script><textarea/><p><a href='2'>t</a></p>\
        <![CDATA[<a href='no'>]]></body></html>";
    let page = read_as(Format::Xhtml, None, body.as_bytes());
    assert_eq!(brief(&page), ["script src 1", "a href 2"]);
    assert_eq!(page.links().last().unwrap().text, Some("t"));
}

#[test]
fn stylesheets_have_lines() {
    let body = "@charset \"iso-8859-1\";\n@import 'a.css';\n/* url(no) */\nb { c: url(ä.png) }";
    let body: Vec<u8> = body.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect();
    let stylesheet = read_as(Format::Css, None, &body);
    assert_eq!(brief(&stylesheet), ["style import a.css", "style url ä.png"]);
    let anchors: Vec<_> = stylesheet.links().map(|link| (link.line, link.column)).collect();
    assert_eq!(anchors, [(2, 9), (4, 8)]);
}

#[test]
fn sitemaps_are_xml_or_text() {
    let xml = "<?xml version='1.0' encoding='UTF-8'?>\n<!-- > <loc>no</loc> -->\n\
        <urlset xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'>\n<url>\n  <loc> \
        http://a.test/?a&amp;b&#x26;c </loc><lastmod>2026</lastmod>\n<image:image><image:loc>\
        <![CDATA[http://a.test/p>1.png]]></image:loc></image:image>\n\
        <xhtml:link rel='alternate' hreflang='de' href='http://a.test/de'/></url></urlset>";
    let map = read_as(Format::Sitemap, None, xml.as_bytes());
    assert_eq!(
        brief(&map),
        [
            "loc content http://a.test/?a&b&c",
            "image:loc content http://a.test/p>1.png",
            "link href http://a.test/de"
        ]
    );
    assert!(!map.faulty);
    let anchors: Vec<_> = map.links().map(|link| (link.line, link.column)).collect();
    assert_eq!(anchors, [(5, 3), (6, 14), (7, 1)]);

    let index = "<sitemapindex><sitemap><loc>http://a.test/1.xml</loc></sitemap></sitemapindex>";
    let index = read_as(Format::Sitemap, None, index.as_bytes());
    assert_eq!(index.links().next().unwrap().rel, Some("sitemap"));

    let text = read_as(Format::Sitemap, None, b"\nhttp://a.test/1\r\n\r\nhttp://a.test/2");
    assert_eq!(brief(&text), ["loc content http://a.test/1", "loc content http://a.test/2"]);
    assert!(!text.faulty);
}

#[test]
fn invalid_sitemaps_are_reported_and_keep_the_urls_before_the_error() {
    for (body, links) in [
        ("", 0),
        ("<!DOCTYPE html><html><body><p>Not found<br></body></html>", 0),
        ("Not found", 0),
        ("<urlset><url><loc>http://a.test/1</loc></url><url><loc>http://a.test/", 1),
        ("<urlset><url><loc>http://a.test/1</loc></url><!-- broken", 1),
        // The meaning of an undeclared entity is unknown.
        ("<urlset><url><loc>http://a.test/&nbsp;</loc></url></urlset>", 0),
    ] {
        let map = read_as(Format::Sitemap, None, body.as_bytes());
        assert!(map.faulty, "{body}");
        assert_eq!(map.links().count(), links, "{body}");
    }
}

#[test]
fn an_error_in_a_sitemap_does_not_hide_the_urls_after_it() {
    let url = |n: u32| format!("<url><loc>http://a.test/{n}</loc></url>");
    for broken in ["</wrong>", "<//>", "<!DOCTYPE >"] {
        let xml = format!("<urlset>{}{broken}{}</urlset>", url(1), url(2));
        let map = read_as(Format::Sitemap, None, xml.as_bytes());
        assert!(map.faulty, "{broken}");
        let links = ["loc content http://a.test/1", "loc content http://a.test/2"];
        assert_eq!(brief(&map), links, "{broken}");
    }
}

/// After markup that is none, what follows cannot be trusted.
#[test]
fn a_sitemap_is_read_up_to_markup_that_is_not_xml() {
    let url = |n: u32| format!("<url><loc>http://a.test/{n}</loc></url>");
    let xml = format!("<urlset>{}<!x>{}</urlset>", url(1), url(2));
    let map = read_as(Format::Sitemap, None, xml.as_bytes());
    assert!(map.faulty);
    assert_eq!(brief(&map), ["loc content http://a.test/1"]);
}

#[test]
fn an_unfinished_end_of_a_sitemap_is_reported() {
    for end in ["<!-- unfinished", "<!-- un > finished", "<", "</urlset", "<![CDATA[ x >"] {
        let xml = format!("<urlset><url><loc>http://a.test/1</loc></url></urlset>{end}");
        let map = read_as(Format::Sitemap, None, xml.as_bytes());
        assert!(map.faulty, "{end}");
        assert_eq!(brief(&map), ["loc content http://a.test/1"], "{end}");
    }
}

#[test]
fn sitemaps_with_elements_within_a_loc_are_parsed() {
    let body = "<urlset>\n<loc>\n<xhtml:link href='/de'/>http://a.test/1<b/></loc>\n\
                <loc><loc>http://a.test/2</loc></loc><loc>http://a.test/&nbsp;</loc>\n\
                <loc><xhtml:link href='/fr'/>";
    let map = read_as(Format::Sitemap, None, body.as_bytes());
    let brief = |link: Link<'_>| format!("{} {} {}", link.element.name(), link.written, link.line);
    assert_eq!(
        map.links().map(brief).collect::<Vec<_>>(),
        ["link /de 3", "loc http://a.test/1 2", "loc http://a.test/2 4", "link /fr 5"]
    );
    assert!(map.faulty);
}

#[test]
fn robots_txt_keeps_its_text_and_names_sitemaps() {
    let robots = read_as(Format::Robots, Some("koi8-r"), b"# \xc3\xa9\nSitemap: /s.xml");
    assert_eq!(robots.rules(), Some("# é\nSitemap: /s.xml"));
    assert_eq!(brief(&robots), ["sitemap content /s.xml"]);
    assert_eq!(robots.links().next().unwrap().line, 2);
}

#[test]
fn link_headers_are_links_without_a_line() {
    let mut page = Extractor::new(Format::Html, None, 99);
    page.take_link_headers(["</a.css>; rel=preload, </b>; rel=next", ""].into_iter());
    // An attribute of that name in the page is not a link.
    page.feed(b"<a href=c><link header=/no>");
    let page = page.finish();
    assert_eq!(brief(&page), ["a href c", "link header /a.css", "link header /b"]);
    assert_eq!(page.links().last().unwrap().line, 0);
}

#[test]
fn encodings_are_named_by_mark_header_or_page() {
    let utf_16 =
        |text: &str| -> Vec<u8> { text.encode_utf16().flat_map(u16::to_be_bytes).collect() };
    let (latin, _, _) = encoding_rs::WINDOWS_1252.encode("<meta charset=latin1><a href=ä>");
    let (japanese, _, _) = encoding_rs::SHIFT_JIS.encode("<a href='?q=テ'>テ</a>");
    for (charset, body, written, encoding) in [
        (Some("utf-16be"), utf_16("<a href=ä>"), "ä", "UTF-8"),
        (Some("latin1"), utf_16("\u{feff}<a href=ä>"), "ä", "UTF-8"),
        (None, latin.into_owned(), "ä", "windows-1252"),
        (Some("Shift_JIS"), japanese.into_owned(), "?q=テ", "Shift_JIS"),
        (Some("no-such"), "<a href=ä>".into(), "ä", "UTF-8"),
        (None, b"<a href=\xe4>".to_vec(), "ä", "windows-1252"),
    ] {
        let page = read_as(Format::Html, charset, &body);
        assert_eq!(page.links().next().unwrap().written, written, "{charset:?}");
        assert_eq!(page.encoding.name(), encoding, "{charset:?}");
    }
}

#[test]
fn text_that_is_not_part_of_the_page_has_no_links() {
    let html = "<!-- <a href=1> --><script>'<a href=2>'</script><style><a href=3></style>\
        <textarea><a href=4></textarea><template><a href=5></a></template><title><a href=6></title>\
        <noscript><a href=7>read</a></noscript><iframe><a href=8></iframe><xmp><a href=9></xmp>";
    let column = html.find("<a href=7>").unwrap() + 1;
    assert_eq!(links(html), [format!("a href 7 | read | - 1:{column}")]);
}

#[test]
fn texts_are_decoded_and_contain_the_alt_of_images() {
    for (html, text) in [
        ("<a href=x> The\n <b>old</b>&nbsp;lock &amp; gate </a>", "The old lock & gate"),
        ("<a href=x><img src=p alt='A lock'></a>", "A lock"),
        ("<a href=x><img src=p alt='Lock'>No. 3</a>", "Lock No. 3"),
        ("<a href=x><script>no</script>yes</a>", "yes"),
        ("<a href=x>never closed", "never closed"),
        ("<a href=x>one<a href=y>two", "one"),
        ("<a href=x></a>", ""),
        // Only text that belongs to HTML opens a link again that its paragraph closed.
        ("<p><a href=x>one</p>two", "onetwo"),
        ("<svg><desc><p><a href=x>one</p></desc><text>two</text></svg>", "one"),
    ] {
        assert_eq!(read(html).links().next().unwrap().text, Some(text), "{html}");
    }
}

#[test]
fn values_are_parsed_as_in_browsers() {
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
fn broken_markup_is_parsed_as_in_browsers() {
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
        ("<svg><style><a href=1></style></svg>", &[]),
        // Only in foreign content is this a CDATA section.
        ("<svg><font><![CDATA[><a href=1>]]></font></svg>", &[]),
        ("<svg><font color=red><![CDATA[><a href=1>]]></font></svg>", &["1"]),
        ("<math><annotation-xml encoding=text/html><![CDATA[><a href=1>]]>", &[]),
        ("<svg><desc><style><a href=1></style></desc></svg>", &[]),
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
fn anchors_are_ids_and_names_of_a_elements() {
    use crate::url::fragment::{FragmentMatch, find};
    let page =
        read("<p id=one><a name=two><input name=three><b id='f&ouml;ur'><template><i id=five>");
    for (fragment, found) in [
        ("one", FragmentMatch::Present),
        ("two", FragmentMatch::Present),
        ("three", FragmentMatch::Missing),
        ("f%C3%B6ur", FragmentMatch::Present),
        ("five", FragmentMatch::Missing),
    ] {
        assert_eq!(find(page.anchors(), fragment), found, "{fragment}");
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
fn a_cut_page_is_marked_as_cut() {
    let mut page = Extractor::new(Format::Html, None, 20);
    assert!(page.feed(b"<a href=1>x</a>"));
    assert!(!page.feed(b"<a href=2>x</a>"));
    let page = page.finish();
    assert!(page.cut);
    assert_eq!(page.links().count(), 1);
}

#[test]
fn hostile_pages_use_memory_in_proportion_to_their_size() {
    let nested = "<div><section><a href=x>".repeat(40_000);
    assert_eq!(read(&nested).links().count(), 40_000);
    let closing = format!("{}{}", "<div>".repeat(100_000), "</section>".repeat(50_000));
    assert_eq!(read(&closing).links().count(), 0);
    let long = format!("<a href='{}'>{}</a>", "y".repeat(500_000), "word ".repeat(50_000));
    let page = read(&long);
    let link = page.links().next().unwrap();
    assert!(link.written.len() <= 64 * 1024 && link.text.unwrap().chars().count() <= 1001);
}

/// Pieces that are hard to tokenize.
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

/// Pieces of other kinds of bodies.
fn other_pieces() -> impl Strategy<Value = String> {
    let piece = prop::sample::select(vec![
        "url(",
        ")",
        "url(x.png)",
        "@import 'a';",
        "@import ",
        "\"b\"",
        "'",
        "/*",
        "*/",
        "\\",
        "\\72 ",
        "{",
        "}",
        ";",
        "ä",
        "\n",
        "\r\n",
        "@namespace ",
        "u\\72l(y)",
        "<urlset>",
        "<url>",
        "<loc>",
        "http://a.test/",
        "&amp;",
        "</loc>",
        "</url>",
        "</urlset>",
        "<!-- > -->",
        "<![CDATA[",
        "]]>",
        "<?x",
        "?>",
        "<xhtml:link href='x'/>",
        "User-agent: *",
        "Disallow: /",
        "Sitemap: x",
    ]);
    prop::collection::vec(piece, 0..30).prop_map(|pieces| pieces.concat())
}

/// The same body, in chunks.
fn read_in_chunks(format: Format, body: &[u8], cuts: &[usize]) -> Reading {
    let mut page = Extractor::new(format, Some("utf-8"), 1 << 20);
    let (mut rest, mut cuts) = (body, cuts.iter().cycle());
    while !rest.is_empty() {
        let (chunk, after) = rest.split_at((*cuts.next().unwrap()).min(rest.len()));
        page.feed(chunk);
        rest = after;
    }
    page.finish()
}

proptest! {
    #[test]
    fn chunks_of_any_size_give_the_same_reading(html in pieces(), cuts in prop::collection::vec(1usize..9, 1..60)) {
        let whole = read(&html);
        let chunked = read_in_chunks(Format::Html, html.as_bytes(), &cuts);
        prop_assert_eq!(chunked.hash(), whole.hash());
        prop_assert_eq!(chunked, whole);
    }

    #[test]
    fn chunks_of_other_bodies_give_the_same_reading(
        format in prop::sample::select(Format::ALL.to_vec()),
        body in other_pieces(),
        cuts in prop::collection::vec(1usize..9, 1..60),
    ) {
        let whole = read_as(format, Some("utf-8"), body.as_bytes());
        prop_assert_eq!(read_in_chunks(format, body.as_bytes(), &cuts), whole);
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        for format in Format::ALL {
            let mut page = Extractor::new(format, None, 250);
            page.feed(&bytes);
            prop_assert!(page.finish().links().count() <= bytes.len());
        }
    }
}

#[test]
fn links_in_the_text_of_an_element_have_their_own_position() {
    let positions = |format, body: &str, chunk: usize| -> Vec<String> {
        let mut page = Extractor::new(format, Some("utf-8"), 1 << 20);
        for piece in body.as_bytes().chunks(chunk) {
            page.feed(piece);
        }
        let reading = page.finish();
        let show = |link: Link<'_>| format!("{}:{} {}", link.line, link.column, link.written);
        reading.links().map(show).collect()
    };
    let html = "<p>é</p><script type=application/ld+json>{\"url\": \"/a\",\r\n \"name\": \"ä>\", \
                \"image\": [\"/b\",\n\"/c\"]}</script><a href=/d>d</a>\n<style>\n  a { --x: 'é'; \
                background: url(/e) } b { background: url('/f') }</style>\
                <script type=application/ld+json src=/g>{\"url\": \"/h\"}</script><a href=/i>i</a>";
    let at = |start: &str| {
        let before = &html[..html.find(start).expect("the page has it")];
        let line_start = before.rfind('\n').map_or(0, |end| end + 1);
        let name = start.find('/').map(|from| &start[from..from + 2]);
        let line = before.matches('\n').count() + 1;
        format!("{line}:{} {}", before[line_start..].chars().count() + 1, name.unwrap_or_default())
    };
    let texts = ["\"/a", "\"/b", "\"/c", "<a href=/d", "url(/e", "url('/f"].map(at);
    for chunk in [1, 7, 4096] {
        let found = positions(Format::Html, html, chunk);
        assert_eq!(found[..6], texts, "{chunk}");
        assert_eq!(found.len(), 8, "a script with a URL has no text: {found:?}");
    }
    // What is no link takes no position.
    let empty = "<style>a { b: url('') }\na { b: url(/a) } c { d: url(\"\") }</style>";
    assert_eq!(positions(Format::Html, empty, 4096), ["2:8 /a"]);
    let open = "<script type=application/ld+json>\n{\"url\": \"/a\"}";
    assert_eq!(positions(Format::Html, open, 5), ["2:9 /a"]);
    // In XML the text may have references: the tag has to do.
    let xml = "<html>\n<style>a { b: url(/e) }</style></html>";
    assert_eq!(positions(Format::Xhtml, xml, 4096), ["2:1 /e"]);
}

#[test]
fn links_over_the_limit_are_left_out_and_the_reading_is_cut() {
    let read = |format, body: &str, links: usize| {
        let limits = Limits { bytes: 1 << 20, links };
        let mut extractor = Extractor::of_url("", format, Some("utf-8"), limits, false);
        extractor.feed(body.as_bytes());
        extractor.finish()
    };
    let html = "<a href=/1>one</a>\n<img srcset='/2 1x, /3 2x'>\n<a href=/4>four <img src=/5></a>\n\
                <style>a { background: url(/6) url(/7) }</style>\n<a href=/8>eight</a>";
    let css = "a { background: url(/1) } b { background: url(/2) }\n@import '/3';";
    let sitemap = "<urlset><url><loc>/1</loc></url>\n<url><loc>/2</loc></url></urlset>";
    for (format, body, all) in
        [(Format::Html, html, 8), (Format::Css, css, 3), (Format::Sitemap, sitemap, 2)]
    {
        let whole = read(format, body, all);
        assert!(!whole.cut && whole.links().len() == all, "{format:?} {whole:?}");
        for most in 0..all {
            let reading = read(format, body, most);
            assert!(reading.cut, "{format:?} {most}");
            let same = reading.links().zip(whole.links()).all(|(own, other)| own == other);
            assert!(reading.links().len() == most && same, "{most} {reading:?}");
        }
    }
}

#[test]
fn a_policy_that_upgrades_requests_is_noticed() {
    let upgrades = |html: &str| read(html).upgrades;
    let policy = "<meta http-equiv=Content-Security-Policy content='upgrade-insecure-requests'>";
    assert!(upgrades(policy));
    assert!(!upgrades("<meta http-equiv=Content-Security-Policy content='img-src *'>"));
}

#[test]
fn the_weight_of_a_page_grows_with_its_links() {
    let weight = |links: usize| read(&"<a id=x href=/y>z</a>".repeat(links)).weight();
    assert!(weight(0) < 64);
    assert!(weight(100) > 100 * size_of::<crate::extract::reading::LinkRecord>());
}

/// HTML, "has an element in scope": an end tag has no effect across a table cell.
#[test]
fn an_end_tag_in_a_cell_does_not_end_the_landmark_around_the_table() {
    for cell in ["td", "th", "caption"] {
        let html =
            format!("<nav><table><{cell}></nav><a href=x>y</a></{cell}></table></nav><a href=z>");
        let reading = read(&html);
        let regions: Vec<_> = reading.links().map(|link| link.region).collect();
        assert_eq!(regions, [Some(crate::extract::reading::Region::Nav), None], "{cell}");
    }
}

#[test]
fn the_picture_of_a_podcast_is_expected_to_be_an_image() {
    use crate::extract::elements::{Attribute, Element, Expected};
    for (element, attribute) in
        [("itunes:image", "href"), ("media:thumbnail", "url"), ("logo", "content")]
    {
        let (element, attribute) =
            (Element::named(element).unwrap(), Attribute::named(attribute).unwrap());
        assert_eq!(element.expected_type(attribute, None), Some(Expected::Image), "{element:?}");
    }
}
