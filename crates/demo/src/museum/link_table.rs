//! The museum's address book: everyone it ever worked with, and the state of their servers now.
//! One row holds the text of the page, the behavior of the server, and the truth.

use std::collections::BTreeMap;

use crate::scenario::{
    Act, Answer, ConnectionMode, Fault, FaultLink, FaultLinks, Host, Resolves, Tls,
};

/// The path of the page on the museum's host.
pub(super) const PATH: &str = "/about/address-book/";

/// One entry: link text, URL, verdict, cause, last status (0 for none). Sound targets are
/// included: they must not be reported.
type Entry = (&'static str, &'static str, &'static str, &'static str, u16);

const ENTRIES: &[Entry] = &[
    // Certificates
    ("Old Locks Club", "https://old-locks.test/", "broken", "tls-expired", 0),
    ("New Locks Club", "https://new-locks.test/", "broken", "tls-expired", 0),
    ("Moorings", "https://moorings.test/", "broken", "tls-wrong-host", 0),
    ("Tollhouse", "https://tollhouse.test/", "broken", "tls-untrusted", 0),
    ("Weighbridge", "https://weighbridge.test/", "doubtful", "tls-chain", 0),
    ("Ferry", "https://ferry.test/", "doubtful", "tls-unsupported", 0),
    ("Plain Mile", "https://plain-mile.test/", "broken", "tls-failure", 0),
    ("Slow Hand", "https://slow-hand.test/", "broken", "timeout", 0),
    ("Good Lock", "https://good-lock.test/", "sound", "", 200),
    // Names
    ("Sign painter", "http://sign-painter.test/", "broken", "no-address", 0),
    ("Night watchman", "http://night-watchman.test/", "broken", "dns-failure", 0),
    ("Long ledger", "http://long-ledger.test/", "sound", "", 200),
    ("Office computer", "http://office.ashlock-canal.test/", "doubtful", "private-address", 0),
    ("Printer", "http://10.0.0.7/", "broken", "private-address", 0),
    ("Printer, in octal", "http://0300.0250.1.9/", "broken", "private-address", 0),
    ("Draft of this site", "http://localhost:3000/", "broken", "private-address", 0),
    // Invalid responses
    ("Harbour radio", "http://harbour-radio.test/", "broken", "bad-response", 0),
    ("Torn leaflet", "http://paper-mill.test/torn", "doubtful", "truncated", 200),
    ("Wet leaflet", "http://paper-mill.test/wet", "doubtful", "truncated", 200),
    ("Folded leaflet", "http://paper-mill.test/folded", "sound", "", 200),
    ("Roundabout", "http://roundabout.test/1", "broken", "redirect-limit", 302),
    // Busy servers
    ("Ticket hall", "http://ticket-hall.test/", "doubtful", "busy", 429),
    ("Ticket window", "http://ticket-window.test/", "sound", "", 200),
    ("Boat show", "http://boat-show.test/", "doubtful", "busy", 503),
    ("Boat show, at last", "http://boat-show.test/later", "sound", "", 200),
    // Refusals
    ("Teapot museum", "http://teapots.test/", "doubtful", "access-refused", 418),
    ("Dredger's log", "http://dredger.test/log", "doubtful", "access-refused", 999),
    ("Auction house", "http://auctions.test/lots", "doubtful", "blocking", 403),
    // Pages that respond well and do not exist
    ("Model boats", "http://model-boats.test/hazel", "doubtful", "soft-404", 200),
    ("Rope walk", "http://rope-walk.test/prices/1998", "doubtful", "soft-404", 200),
    ("Rope walk, today", "http://rope-walk.test/prices/now", "sound", "", 200),
    ("The page that was not there", "http://essays.test/about-404", "sound", "", 200),
    ("Gauge report of 1998", "http://gauges.test/reports/1998", "doubtful", "redirected-home", 200),
    ("Plan room", "http://plan-room.test/sheet/7", "doubtful", "redirected-login", 200),
    ("Film of the ice", "http://films.test/ice-1929", "doubtful", "consent-wall", 200),
    ("Lantern slides", "http://lanterns.test/slides", "sound", "redirected", 200),
    // Typing errors
    ("The keeper", "mailto:keeper", "broken", "malformed-url", 0),
    ("The clerk", "mailto:clerk@ashlock-canal.test", "skipped", "other-scheme", 0),
];

/// Images on the page: alt text, URL, verdict, cause, status.
const PICTURES: &[Entry] = &[
    ("Badge of the Moorings", "http://badges.test/head-404.png", "sound", "", 200),
    ("Badge of the Ferry", "http://badges.test/head-500.png", "sound", "", 200),
    ("Badge of the Tollhouse", "http://badges.test/head-silent.png", "sound", "", 200),
    ("Badge of the Rope walk", "http://badges.test/head-lies.png", "broken", "not-found", 404),
    ("Badge of the Auction house", "http://badges.test/page.png", "doubtful", "wrong-type", 200),
];

/// The body of the page.
pub(super) fn body() -> String {
    let links: String = ENTRIES
        .iter()
        .map(|(text, to, ..)| format!("<li><a href=\"{to}\">{text}</a></li>\n"))
        .collect();
    // By https, as browsers would request them.
    let pictures: String = PICTURES
        .iter()
        .map(|(alt, to, ..)| {
            format!("<img src=\"{}\" alt=\"{alt}\">\n", to.replace("http:", "https:"))
        })
        .collect();
    format!(
        "<p>Whoever tidies the office adds to this list. <a href=\"#\">Print it</a>, or\n\
         <a href=\"javascript:void(0)\">send it</a>. <a href=\"#\" role=\"button\">Menu</a>\n\
         <a href=\"#by-name\" data-bs-toggle=\"tab\">By name</a></p>\n<ul>\n{links}</ul>\n{pictures}\
         <script src=\"http://widgets.test/clock.js\"></script>\n\
         <img src=\"/attic/wall.html.png\" alt=\"The wall of hooks\">\n\
         <p>The <a href=\"/about/cellar/\">cellar</a> is shut.</p>\n"
    )
}

/// The faults on the page, on a museum whose pages are at `site`.
pub(super) fn faults(site: &str) -> Vec<Fault> {
    let page = format!("{site}{PATH}");
    let fault = |target: String,
                 (verdict, cause, status): (&'static str, &'static str, u16),
                 element,
                 text: &str| Fault {
        target,
        verdict,
        cause,
        status: (status > 0).then_some(status),
        places: FaultLinks::On(vec![FaultLink {
            page: page.clone(),
            element,
            text: text.to_owned(),
        }]),
    };
    let is_fault = |entry: &&Entry| !matches!(entry.2, "sound" | "skipped");
    let links = ENTRIES.iter().filter(is_fault).map(|&(text, to, verdict, cause, status)| {
        fault(normal(to), (verdict, cause, status), "a", text)
    });
    let pictures = PICTURES.iter().filter(is_fault).map(|&(text, to, verdict, cause, status)| {
        fault(to.replace("http:", "https:"), (verdict, cause, status), "img", text)
    });
    let doubtful = |status| ("doubtful", "placeholder", status);
    links
        .chain(pictures)
        .chain([
            fault(format!("{page}#"), doubtful(200), "a", "Print it"),
            fault("javascript:void(0)".to_owned(), doubtful(0), "a", "send it"),
            fault(
                "http://widgets.test/clock.js".to_owned(),
                ("broken", "mixed-content", 200),
                "script",
                "",
            ),
            fault(
                format!("{site}/attic/wall.html.png"),
                ("broken", "wrong-type", 200),
                "img",
                "The wall of hooks",
            ),
            fault(
                format!("{site}/about/cellar/"),
                ("broken", "access-refused", 403),
                "a",
                "cellar",
            ),
        ])
        .collect()
}

/// The URL as the URL standard serializes it.
fn normal(url: &str) -> String {
    url.replace("0300.0250.1.9", "192.168.1.9")
}

/// The responses of the museum's own server.
pub(super) fn add(paths: &mut BTreeMap<String, Act>) {
    let wall = page("The wall of hooks", "A picture of it was meant to be here, and is not.");
    paths.insert("/attic/wall.html.png".to_owned(), wall);
    paths.insert("/about/cellar/".to_owned(), Act::status(403));
}

fn page(title: &str, text: &str) -> Act {
    Act::page(format!("<!DOCTYPE html><title>{title}</title><h1>{title}</h1><p>{text}</p>"))
}

fn host(paths: Vec<(&str, Act)>) -> Host {
    let paths = paths.into_iter().map(|(path, act)| (path.to_owned(), act)).collect();
    Host { paths, ..Host::default() }
}

fn home() -> Host {
    host(vec![("/", page("Welcome", "This is a quiet place on the web, with a page or two."))])
}

/// The hosts in the address book.
pub(super) fn hosts() -> BTreeMap<String, Host> {
    let tls = |name, tls| (name, Host { tls, ..home() });
    let resolves = |name, resolves| (name, Host { resolves, ..home() });
    let all = [
        tls("old-locks.test", Tls::Expired),
        tls("new-locks.test", Tls::NotYetValid),
        tls("moorings.test", Tls::OtherHost),
        tls("tollhouse.test", Tls::SelfSigned),
        tls("weighbridge.test", Tls::NoIssuer),
        tls("ferry.test", Tls::NothingInCommon),
        tls("plain-mile.test", Tls::Plain),
        tls("slow-hand.test", Tls::Silent),
        tls("good-lock.test", Tls::Good),
        resolves("sign-painter.test", Resolves::ToNothing),
        resolves("night-watchman.test", Resolves::InSilence),
        resolves("long-ledger.test", Resolves::ByTcp),
        resolves("office.ashlock-canal.test", Resolves::ToPrivate),
        ("harbour-radio.test", Host { reach: ConnectionMode::Babbles, ..Host::default() }),
        (
            "widgets.test",
            host(vec![("/clock.js", Act::file("text/javascript", b"/* tick */".to_vec()))]),
        ),
    ];
    let all = all.into_iter().chain(answering()).chain(pretending()).chain([badges()]);
    all.map(|(name, host)| (name.to_owned(), host)).collect()
}

/// Hosts that respond, in one way or another.
fn answering() -> Vec<(&'static str, Host)> {
    let leaflet = b"<!DOCTYPE html><title>A leaflet</title><p>Paper is made of";
    let html = "text/html; charset=utf-8";
    // A truncated gzip member (RFC 1952), and one that contains a page, stored uncompressed.
    let wet = vec![0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3, 0x4b, 0x04];
    let round =
        (1..40).map(|n| (format!("/{n}"), Act::redirect(302, &format!("/{}", n + 1)))).collect();
    let fine = || page("Come in", "There is room for everybody now, and tea for those who wait.");
    let wait = |seconds: &str, status| Act::status(status).with("retry-after", seconds);
    vec![
        (
            "paper-mill.test",
            host(vec![
                ("/torn", Act::CutOff(leaflet.to_vec())),
                ("/wet", Act::file(html, wet).with("content-encoding", "gzip")),
                ("/folded", Act::file(html, stored_gzip(leaflet)).with("content-encoding", "gzip")),
            ]),
        ),
        ("roundabout.test", Host { paths: round, ..Host::default() }),
        ("ticket-hall.test", host(vec![("/", Act::status(429))])),
        (
            "ticket-window.test",
            host(vec![("/", Act::First(1, Box::new(wait("1", 429)), Box::new(fine())))]),
        ),
        (
            "boat-show.test",
            host(vec![
                ("/", wait("86400", 503)),
                ("/later", Act::First(1, Box::new(wait("1", 503)), Box::new(fine()))),
            ]),
        ),
        ("teapots.test", host(vec![("/", Act::status(418))])),
        ("dredger.test", host(vec![("/log", Act::status(999))])),
        (
            "auctions.test",
            host(vec![(
                "/lots",
                Act::Answer(Answer {
                    status: 403,
                    content_type: html,
                    body: b"<!DOCTYPE html><title>Just a moment...</title><p>Are you a person?"
                        .to_vec(),
                    ..Answer::default()
                }),
            )]),
        ),
    ]
}

/// Hosts that respond well, whatever is requested.
fn pretending() -> Vec<(&'static str, Host)> {
    let sorry = page("The rope walk", "We have walked up and down, and found nothing of the kind.");
    let prices = page("Prices", "Hemp by the fathom, tarred or plain, and the knots are free.");
    let rope =
        host(vec![("/", page("The rope walk", "Come in and watch.")), ("/prices/now", prices)]);
    let essay = page(
        "How a lock keeper lost a page, and what Error 404 has to do with it",
        "An essay on what is not there.",
    );
    let login = page("Log in", "Your name, and the word that we gave you.");
    let wall = page("Before you go on", "Do you agree to everything?");
    vec![
        (
            "model-boats.test",
            host(vec![("/hazel", page("Page not found | Model Boats", "Sorry."))]),
        ),
        ("rope-walk.test", Host { others: Some(("/".to_owned(), sorry)), ..rope }),
        ("essays.test", host(vec![("/about-404", essay)])),
        ("gauges.test", {
            let mut gauges = home();
            gauges.paths.insert("/reports/1998".to_owned(), Act::redirect(301, "/"));
            gauges
        }),
        (
            "plan-room.test",
            host(vec![
                ("/sheet/7", Act::redirect(302, "/login?next=/sheet/7")),
                ("/login?next=/sheet/7", login),
            ]),
        ),
        (
            "films.test",
            host(vec![("/ice-1929", Act::redirect(302, "http://consent.films.test/?to=ice"))]),
        ),
        ("consent.films.test", host(vec![("/?to=ice", wall)])),
        (
            "lanterns.test",
            host(vec![(
                "/slides",
                Act::NeedsCookie(
                    "seen=1",
                    Box::new(page("Slides", "Two hundred of them, in a box.")),
                ),
            )]),
        ),
    ]
}

/// A host whose HEAD cannot be trusted.
fn badges() -> (&'static str, Host) {
    let badge = || Act::file("image/png", b"\x89PNG\r\n\x1a\n".to_vec());
    let head = |act, then| Act::Head(Box::new(act), Box::new(then));
    let host = host(vec![
        ("/head-404.png", head(Act::status(404), badge())),
        ("/head-500.png", head(Act::status(500), badge())),
        ("/head-silent.png", head(Act::Silent, badge())),
        ("/head-lies.png", head(badge(), Act::status(404))),
        ("/page.png", page("A badge", "A picture of it was meant to be here, and is not.")),
    ]);
    ("badges.test", host)
}

/// A gzip file with these bytes stored uncompressed (RFC 1951 §3.2.4, RFC 1952 §2.3).
fn stored_gzip(content: &[u8]) -> Vec<u8> {
    let length = u16::try_from(content.len()).expect("a short text");
    let mut file = vec![0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3, 1];
    file.extend(length.to_le_bytes());
    file.extend((!length).to_le_bytes());
    file.extend(content);
    file.extend(crc32(content).to_le_bytes());
    file.extend(u32::from(length).to_le_bytes());
    file
}

/// RFC 1952 §8.
fn crc32(content: &[u8]) -> u32 {
    !content.iter().fold(!0u32, |crc, byte| {
        (0..8).fold(crc ^ u32::from(*byte), |crc, _| {
            if crc & 1 == 1 { crc >> 1 ^ 0xedb8_8320 } else { crc >> 1 }
        })
    })
}
