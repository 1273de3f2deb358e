//! The attic: old pages that the museum has never deleted.
//!
//! They have links of every kind, in old encodings and formats. Each missing target is linked to
//! many times, so that every kind of link is part of the truth.

use std::collections::BTreeMap;

use super::row::{HOST, Row};
use crate::scenario::{Act, Answer};

/// Adds the attic's responses.
pub(super) fn add(paths: &mut BTreeMap<String, Act>) {
    let html = "text/html; charset=utf-8";
    let mut add = |path: &str, act| paths.insert(path.to_owned(), act);
    add("/attic/pictures.html", page(html, include_str!("../../site/attic/pictures.html")));
    add("/attic/film.html", page(html, include_str!("../../site/attic/film.html")));
    add("/attic/handbook.html", page("text/html", include_str!("../../site/attic/handbook.html")));
    let rules = include_str!("../../site/attic/rules.xhtml");
    add("/attic/rules.xhtml", page("application/xhtml+xml", rules));
    let sheet = "@import 'lost.css';\n.hook { background: url(lost.png) }\n";
    add("/attic/wall.css", page("text/css", sheet));
    feeds(&mut add);
    encodings(&mut add);
    // The `Link` header of a page, with a print stylesheet.
    let programme = Answer {
        status: 200,
        content_type: html,
        fields: vec![("link", "</attic/lost.css>; rel=\"stylesheet\"; media=\"print\"".to_owned())],
        body: b"<!DOCTYPE html><title>Programme for 2013</title><p>See the \
                <a href=\"/diary/\">diary</a>.</p>"
            .to_vec(),
        ..Answer::default()
    };
    add("/attic/programme.html", Act::Answer(programme));
    // A link without its slash, on a server that does not care.
    for depth in 0..4 {
        let path = format!("/attic/{}", "maps/".repeat(depth + 1));
        let text = "<!DOCTYPE html><title>Maps</title><p><a href=\"maps/\">Maps</a></p>";
        add(&path, page(html, text));
    }
    // Two pages that are rendered by JavaScript.
    for path in ["/booking/boats", "/booking/rooms"] {
        let text = "<!DOCTYPE html><title>Booking</title><div id=\"booking\">Loading …</div>\
                    <script src=\"/style/menu.js\"></script>";
        add(path, page(html, text));
    }
    let robots = format!(
        "# The rota is for volunteers.\nUser-agent: *\nDisallow: /volunteers/\n\n\
         Sitemap: https://{HOST}/sitemap.xml\nSitemap: https://{HOST}/attic/lost.xml\n"
    );
    add("/robots.txt", page("text/plain; charset=utf-8", &robots));
    let hours = "<!DOCTYPE html><title>Key holders</title><a href=\"/never-asked.html\">Keys</a>";
    add("/volunteers/keys.html", page(html, hours));
    add("/sitemap.xml", page("application/xml", &sitemap()));
    let alone = "<!DOCTYPE html><title>A page that no page leads to</title>\
                 <p>It names <a href=\"/attic/lost.html\">another</a>.</p>";
    add("/attic/alone.html", page(html, alone));
    add("/attic/post-only", Act::status(405));
}

fn page(content_type: &'static str, text: &str) -> Act {
    Act::file(content_type, text.as_bytes().to_vec())
}

/// Links that no page shows: feeds, an app, and data for search engines.
fn feeds(add: &mut impl FnMut(&str, Act) -> Option<Act>) {
    let rss = "<?xml version=\"1.0\"?>\n<rss version=\"2.0\"><channel><title>The attic</title>\n\
        <link>/attic/</link>\n<item><title>Reel 4</title><link>lost.html</link>\n\
        <guid>https://www.ashlock-canal.test/attic/lost.html</guid>\n\
        <enclosure url=\"reels/lost.mp3\" length=\"4\" type=\"audio/mpeg\"/></item>\n\
        </channel></rss>\n";
    add("/attic/news.xml", page("application/xml", rss));
    let atom = "<feed xmlns=\"http://www.w3.org/2005/Atom\"><title>The attic</title>\n\
        <id>https://www.ashlock-canal.test/attic/</id><icon>lost.png</icon>\n\
        <link rel=\"self\" href=\"news.atom\"/><link href=\"/attic/\"/>\n\
        <entry><title>Reel 4</title><id>tag:ashlock-canal.test,2015:4</id>\n\
        <link href=\"lost.html\"/><content type=\"video/mp4\" src=\"reels/lost.mp4\"/></entry></feed>\n";
    add("/attic/news.atom", page("application/atom+xml", atom));
    let app = "{\n  \"name\": \"Film evening\",\n  \"start_url\": \"film.html\",\n  \
        \"icons\": [{ \"src\": \"lost.png\", \"sizes\": \"96x96\" }],\n  \
        \"shortcuts\": [{ \"name\": \"Reels\", \"url\": \"lost.html\" }]\n}\n";
    add("/attic/film.webmanifest", page("application/manifest+json", app));
}

const NEWS: &str = "/attic/news.xml";
const ATOM: &str = "/attic/news.atom";
const APP: &str = "/attic/film.webmanifest";

/// Pages from before everything was UTF-8.
fn encodings(add: &mut impl FnMut(&str, Act) -> Option<Act>) {
    let latin = b"<HTML><HEAD><META HTTP-EQUIV=\"Content-Type\" CONTENT=\"text/html; \
        charset=iso-8859-1\">\n<TITLE>Ashlock Caf\xe9 1999</TITLE></HEAD>\n\
        <BODY BACKGROUND=\"lost.png\">\n<A HREF=\"find?q=caf\xe9\">Caf\xe9</A></BODY></HTML>";
    add("/attic/1999.html", Act::file("text/html", latin.to_vec()));
    let french = b"<TITLE>Jumelage</TITLE><A HREF=\"lost.html\">L'\xe9cluse jumel\xe9e</A>";
    add("/attic/french.html", Act::file("text/html; charset=ISO-8859-1", french.to_vec()));
    let japanese = b"<title>\x83e</title><a href=\"find?q=\x83e\">\x83e</a>";
    add("/attic/japanese.html", Act::file("text/html; charset=Shift_JIS", japanese.to_vec()));
    let email = "\u{feff}<title>A letter</title><a href='lost.html'>Grüße</a>";
    let email = email.encode_utf16().flat_map(u16::to_le_bytes).collect();
    add("/attic/letter.html", Act::file("text/html", email));
}

fn sitemap() -> String {
    let entries: String = ["/", "/visit/", "/attic/alone.html", "/attic/lost.html"]
        .iter()
        .map(|path| format!("<url><loc>https://{HOST}{path}</loc></url>\n"))
        .collect();
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <urlset xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">\n{entries}</urlset>\n"
    )
}

const PICTURES: &str = "/attic/pictures.html";
const FILM: &str = "/attic/film.html";

/// The missing targets, with every kind of link to them.
pub(super) const ROWS: &[Row] = &[
    (
        "/attic/lost.html",
        "broken",
        "not-found",
        404,
        &[
            (PICTURES, "meta", ""),
            (PICTURES, "area", "Top row"),
            (PICTURES, "a", "Plan of the wall"),
            (PICTURES, "form", ""),
            (PICTURES, "a", "All pictures on one page"),
            (FILM, "iframe", ""),
            (FILM, "a", "the programme"),
            (FILM, "iframe", ""),
            (FILM, "script", ""),
            (FILM, "button", ""),
            (NEWS, "link", ""),
            (NEWS, "guid", ""),
            (ATOM, "link", ""),
            (APP, "manifest", ""),
            ("/attic/handbook.html", "frame", ""),
            ("/attic/rules.xhtml", "a", "The rules before these"),
            ("/attic/french.html", "a", "L'écluse jumelée"),
            ("/attic/letter.html", "a", "Grüße"),
            ("/attic/alone.html", "a", "another"),
            ("/attic/", "meta", ""),
            ("/sitemap.xml", "loc", ""),
        ],
    ),
    (
        "/attic/lost.png",
        "broken",
        "not-found",
        404,
        &[
            (PICTURES, "meta", ""),
            (PICTURES, "meta", ""),
            (PICTURES, "link", ""),
            (PICTURES, "link", ""),
            (PICTURES, "style", ""),
            (PICTURES, "img", "The kilns"),
            (PICTURES, "source", ""),
            (PICTURES, "img", "Coming soon"),
            (PICTURES, "img", "Coming later"),
            (PICTURES, "image", ""),
            (PICTURES, "div", ""),
            (PICTURES, "input", "Search the wall"),
            (FILM, "video", ""),
            (FILM, "script", ""),
            (FILM, "p", ""),
            (ATOM, "icon", ""),
            (APP, "manifest", ""),
            ("/attic/1999.html", "body", ""),
            ("/attic/wall.css", "style", ""),
        ],
    ),
    (
        "/attic/lost.css",
        "broken",
        "not-found",
        404,
        &[
            (PICTURES, "style", ""),
            ("/attic/wall.css", "style", ""),
            ("/attic/programme.html", "link", ""),
        ],
    ),
    (
        "/attic/lost.svg",
        "broken",
        "not-found",
        404,
        &[(PICTURES, "object", ""), (PICTURES, "embed", "")],
    ),
    ("/attic/lost.svg#hook", "broken", "not-found", 404, &[(PICTURES, "use", "")]),
    ("/attic/lost.js", "broken", "not-found", 404, &[(PICTURES, "script", "")]),
    ("/attic/lost.xml", "broken", "not-found", 404, &[("/robots.txt", "sitemap", "")]),
    (
        "/attic/reels/lost.mp3",
        "broken",
        "not-found",
        404,
        &[(FILM, "audio", ""), (NEWS, "enclosure", "")],
    ),
    (
        "/attic/reels/lost.mp4",
        "broken",
        "not-found",
        404,
        &[(FILM, "video", ""), (FILM, "source", ""), (ATOM, "content", "")],
    ),
    ("/attic/reels/lost.vtt", "broken", "not-found", 404, &[(FILM, "track", "")]),
    // In the encodings of their pages.
    ("/attic/find?q=caf%E9", "broken", "not-found", 404, &[("/attic/1999.html", "a", "Café")]),
    ("/attic/find?q=%83e", "broken", "not-found", 404, &[("/attic/japanese.html", "a", "テ")]),
];
