//! The museum's new pages, built and not yet published.

/// The beginning of each page; `%` is replaced by its title.
const HEAD: &str = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>%</title>\n\
    <link rel=\"stylesheet\" href=\"/style.css\">\n</head>\n<body>\n<nav>\n<a href=\"/\">Home</a>\n\
    <a href=\"/visit/\">Visit</a>\n<a href=\"/boats/\">Boats</a>\n<a href=\"/about.html\">About</a>\n</nav>\n<main>\n";
const FOOT: &str = "\n</main>\n<footer>\n<a href=\"/imprint.html\">Imprint</a>\n\
    <a href=\"/press/kit.zip\">Press kit</a>\n</footer>\n</body>\n</html>\n";

/// Name, title and body of each page.
const PAGES: &[(&str, &str, &str)] = &[
    (
        "index.html",
        "Ashlock Canal Museum",
        "<h1>Ashlock Canal Museum</h1>\n<p><img src=\"/pictures/lock-9.png\" alt=\"Lock 9\">\n\
         <p><a href=\"/visit\">Come and visit</a>, or <a href=\"https://www.ashlock-canal.test/boats/hazel.html\">meet \
         Hazel</a>.\n<p><a href=\"/Visit/\">Opening hours</a>",
    ),
    (
        "visit/index.html",
        "Visit us",
        "<h1>Visit us</h1>\n<h2 id=\"hours\">Hours</h2>\n<p><a href=\"#hours\">Hours</a>, \
         <a href=\"#fares\">fares</a>, <a href=\"getting here.html\">getting here</a>.\n\
         <p><a href=\"http://trains.westshire.test/timetables/ashlock-halt\">Trains</a>",
    ),
    (
        "visit/getting here.html",
        "Getting here",
        "<h1>Getting here</h1>\n<p><a href=\"http://trains.westshire.test/tramway\">The tramway</a>, \
         <a href=\"../boats/\">by boat</a>.",
    ),
    (
        "boats/index.html",
        "Boats",
        "<h1>Boats</h1>\n<p><a href=\"hazel.html\">Hazel</a>, <a href=\"heron.html\">Heron</a>",
    ),
    (
        "boats/hazel.html",
        "Hazel",
        "<h1>Hazel</h1>\n<p><img src=\"hazel.jpg\" alt=\"Hazel at work\">\n\
         <p><a href=\"../visit/index.html#hours\">When she sails</a>",
    ),
    ("about.html", "About us", "<h1>About us</h1>\n<p><a href=\"/\">The museum</a>"),
    ("imprint.html", "Imprint", "<h1>Imprint</h1>\n<p>Ashlock Canal Museum"),
    // Left over from an earlier design: no link leads there.
    (
        "drafts/2019-plan.html",
        "Plan of 2019",
        "<h1>Plan of 2019</h1>\n<p><a href=\"/sponsors.html\">Sponsors</a>",
    ),
];

/// The files of the folder, by name.
#[must_use]
pub fn built() -> Vec<(&'static str, Vec<u8>)> {
    let page = |(name, title, middle): &(&'static str, &str, &str)| {
        let html = HEAD.replace('%', title) + middle + FOOT;
        (*name, html.into_bytes())
    };
    let mut files: Vec<(&str, Vec<u8>)> = PAGES.iter().map(page).collect();
    let sheet = "body { background: url(pictures/water.png) }\nmain { max-width: 40em }\n";
    files.push(("style.css", sheet.as_bytes().to_vec()));
    files.push(("pictures/lock-9.png", b"\x89PNG\r\n\x1a\n".to_vec()));
    files
}

/// The faults in it, published at `https://www.ashlock-canal.test/`: target, cause, and the first
/// occurrence as file, line and column.
pub const BUILT_TRUTH: &[(&str, &str, &str)] = &[
    ("https://www.ashlock-canal.test/Visit/", "not-found", "index.html:19:4"),
    ("https://www.ashlock-canal.test/visit/#fares", "no-such-fragment", "visit/index.html:18:32"),
    // One page under two names.
    (
        "https://www.ashlock-canal.test/visit/index.html#fares",
        "no-such-fragment",
        "visit/index.html:18:32",
    ),
    ("http://trains.westshire.test/tramway", "not-found", "visit/getting here.html:17:4"),
    ("https://www.ashlock-canal.test/boats/heron.html", "not-found", "boats/index.html:17:36"),
    ("https://www.ashlock-canal.test/boats/hazel.jpg", "not-found", "boats/hazel.html:17:4"),
    ("https://www.ashlock-canal.test/press/kit.zip", "not-found", "index.html:23:1"),
    ("https://www.ashlock-canal.test/pictures/water.png", "not-found", "style.css:1:20"),
    ("https://www.ashlock-canal.test/sponsors.html", "not-found", "drafts/2019-plan.html:17:4"),
    ("https://www.ashlock-canal.test/visit", "moved-permanently", "index.html:18:4"),
];

/// The page that no link leads to.
pub const BUILT_UNREACHED: &str = "https://www.ashlock-canal.test/drafts/2019-plan.html";
