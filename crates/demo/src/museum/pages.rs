//! The museum's own pages, images and documents.

use std::collections::BTreeMap;

use super::row::HOST;
use super::{attic, link_table};
use crate::scenario::{Act, Answer, Host};

/// Pages, one after the other, each after a line `<!-- page PATH | TITLE -->`.
const TEXTS: &[&str] = &[
    include_str!("../../site/visit.html"),
    include_str!("../../site/walks.html"),
    include_str!("../../site/diary.html"),
    include_str!("../../site/photographs.html"),
    include_str!("../../site/newsletter.html"),
];

const MENU: &[(&str, &str)] = &[
    ("/", "Home"),
    ("/visit/", "Visit"),
    ("/walks/", "Walks"),
    ("/cottages/", "Cottages"),
    ("/boats/", "Boats"),
    ("/photographs/", "Photographs"),
    ("/diary/", "Diary"),
    ("/newsletter/", "Newsletter"),
    ("/about/", "About"),
];

const FOOTER: &[(&str, &str)] = &[
    ("/contact/", "Contact"),
    ("/accessibility/", "Accessibility"),
    ("/tea-room/", "Tea room"),
    ("/privacy/", "Privacy"),
    ("/attic/", "The attic"),
    ("/volunteers/rota.html", "Volunteer rota"),
    ("mailto:lockhouse@ashlock-canal.test", "Write to us"),
];

/// The museum's host, and the URLs of its pages.
pub(super) fn host() -> (Host, Vec<String>) {
    let mut paths = BTreeMap::new();
    for text in TEXTS {
        for page in text.split("<!-- page ").filter(|page| !page.trim().is_empty()) {
            let (head, body) = page.split_once("-->").expect("a page has a head");
            let (path, title) = head.split_once(" | ").expect("a head has a path and a title");
            paths.insert(path.to_owned(), Act::page(page_of(title.trim(), "", body)));
        }
    }
    let refresh = "<meta http-equiv=\"refresh\" content=\"0; url=/visit/open-day-2026/\">\n";
    let body = "<p>The open day has moved to a page of its own.</p>\n";
    paths.insert("/open-day/".to_owned(), Act::page(page_of("Open day", refresh, body)));
    let refresh = "<meta http-equiv=\"refresh\" content=\"600; url='lost.html'\">\n";
    let body = include_str!("../../site/attic/index.html");
    paths.insert("/attic/".to_owned(), Act::page(page_of("The attic", refresh, body)));
    let book = page_of("Address book", "", &link_table::body());
    paths.insert(link_table::PATH.to_owned(), Act::page(book));
    let pages = paths.keys().map(|path| format!("https://{HOST}{path}")).collect();
    add_papers(&mut paths);
    attic::add(&mut paths);
    link_table::add(&mut paths);
    add_faults(&mut paths);
    (Host { secure: true, paths, ..Host::default() }, pages)
}

fn page_of(title: &str, head: &str, body: &str) -> String {
    let list = |links: &[(&str, &str)]| -> String {
        links.iter().map(|(to, text)| format!("  <li><a href=\"{to}\">{text}</a></li>\n")).collect()
    };
    let (menu, footer) = (list(MENU), list(FOOTER));
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <title>{title}</title>\n<link rel=\"stylesheet\" href=\"/style/museum.css\">\n\
         <link rel=\"icon\" href=\"/style/paddle.svg\">\n{head}</head>\n<body>\n<header>\n\
         <a href=\"/\"><img src=\"/style/paddle.svg\" alt=\"Ashlock Canal Museum\"></a>\n\
         <nav>\n<ul>\n{menu}</ul>\n</nav>\n</header>\n<main>\n<h1>{title}</h1>{body}</main>\n\
         <footer>\n<ul>\n{footer}</ul>\n</footer>\n<script src=\"/style/menu.js\"></script>\n\
         </body>\n</html>\n"
    )
}

fn add_papers(paths: &mut BTreeMap<String, Act>) {
    let pictures = [
        "lock-five-frost",
        "lock-five-frost-large",
        "lock-two-1911",
        "lock-five-gates",
        "lock-nine-dry",
        "hazel-slip-1911",
        "hazel-tarring",
        "perseverance-ice",
        "tranter-family",
        "toll-clerk",
        "tea-room-1975",
        "frost-on-paddle-gear",
        "ice-breaking-1929",
        "steam-2024",
        "steam-2025",
        "queue-for-tea",
        "kilns-1904",
        "kilns-today",
    ];
    let mut add =
        |path: String, kind, body: &[u8]| paths.insert(path, Act::file(kind, body.to_vec()));
    for picture in pictures {
        // The smallest JPEG, which shows nothing.
        add(format!("/pictures/{picture}.jpg"), "image/jpeg", b"\xff\xd8\xff\xd9");
        add(format!("/pictures/small/{picture}.jpg"), "image/jpeg", b"\xff\xd8\xff\xd9");
    }
    for number in ["autumn-2026", "summer-2026"] {
        add(format!("/newsletter/{number}.pdf"), "application/pdf", b"%PDF-1.4\n%%EOF\n");
    }
    let svg =
        b"<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 8 8\"><path d=\"M0 4h8\"/></svg>";
    for path in ["/style/paddle.svg", "/maps/canal.svg", "/learning/lock-section.svg"] {
        add(path.to_owned(), "image/svg+xml", svg);
    }
    add("/style/museum.css".to_owned(), "text/css", b"body { max-width: 40em; margin: auto }\n");
    add("/style/menu.js".to_owned(), "text/javascript", b"/* opens the menu */\n");
    add("/sound/paddle-gear.mp3".to_owned(), "audio/mpeg", b"ID3");
}

/// The faults of the museum's own server.
fn add_faults(paths: &mut BTreeMap<String, Act>) {
    // A link with a misspelled scheme means this page.
    let keepers = page_of("The keepers", "", "<p>Seven families, and a dog.</p>\n");
    paths.insert("/cottages/keepers/".to_owned(), Act::page(keepers));
    let nowhere = Act::Answer(Answer { status: 301, ..Answer::default() });
    for (path, act) in [
        ("/newsletter/1998-01.pdf", Act::status(410)),
        ("/cgi/guestbook", Act::status(500)),
        ("/search?q=%", Act::status(400)),
        ("/members/portal", nowhere),
        ("/walks/circular", Act::redirect(302, "/walks/circular/long")),
        ("/walks/circular/long", Act::redirect(302, "/walks/circular")),
        ("/webcam/", Act::Endless),
    ] {
        paths.insert(path.to_owned(), act);
    }
}
