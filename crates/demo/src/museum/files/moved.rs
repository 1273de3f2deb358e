//! The museum's pages as they were copied from its old server, with all mistakes that come with
//! such a move: to be mended.

/// The old server's URL of the pages.
const OLD: &str = "http://users.westshire.test/~museum/";

/// Name, title and body of each page; `%` stands for the old server's URL.
const PAGES: &[(&str, &str, &str)] = &[
    (
        "index.html",
        "Ashlock Canal Museum",
        "<p><a href=\"%visit.html\">Visit us</a>, see the <a href=\"%boats/\">boats</a>, or follow\n\
         <a href=\"%paths/towpath.html\">the towpath</a>.</p>\n\
         <p>Friends: <a href=\"www.ironwork-society.test/\">Ironwork Society</a></p>",
    ),
    (
        "visit.html",
        "Visit us",
        "<h2 id=\"opening-hours\">Opening hours</h2>\n<p>Easter to October, weekends.</p>\n\
         <h2 id=\"way\">Finding the way</h2>\n\
         <p>By <a href=\"http://trains.westshire.test/timetable\">train</a>, or along\n\
         <a href=\"paths/Towpath.html\">the towpath</a>.</p>",
    ),
    (
        "boats/index.html",
        "Boats",
        "<p><a href=\"hazel.html\">Hazel</a>, <a href=\"%boats/heron.html\">Heron</a> and\n\
         <a href=\"perseverence.html\">Perseverance</a></p>",
    ),
    (
        "boats/hazel.html",
        "Hazel",
        "<p><img src=\"/pictures/hazel.jpg\" alt=\"Hazel\">\nBuilt in 1911.\n\
         <a href=\"%boats/heron.html\">Heron</a> is her sister.</p>",
    ),
    (
        "boats/heron.html",
        "Heron",
        "<p>Sails on <a href=\"../visit.html#hours\">Sundays</a>.\n<a href=\"%boats/hazel.html\">Hazel</a>\n\
         is her sister.</p>",
    ),
    (
        "boats/perseverance.html",
        "Perseverance",
        "<p>An ice boat. <a href=\"%boats/\">All boats</a>, and the\n\
         <a href=\"%boats/tugs.html\">tugs</a></p>",
    ),
    (
        "paths/towpath.html",
        "The towpath",
        "<p><img src=\"/pictures/hazel.png\" alt=\"Hazel\">\n<a href=\"%visit.html\">Visit us</a> on the way; \
         the\n<a href=\"/press/1987-report.pdf\">report of 1987</a> has more.</p>",
    ),
];

/// The files of the folder, by name.
#[must_use]
pub fn moved() -> Vec<(&'static str, Vec<u8>)> {
    let page = |(name, title, body): &(&'static str, &str, &str)| {
        let body = body.replace('%', OLD);
        let html = format!(
            "<!DOCTYPE html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<title>{title}</title>\n\
             <nav><a href=\"/\">Home</a> <a href=\"/visit.html\">Visit</a> <a href=\"/boats/\">Boats</a>\n\
             <a href=\"/boats/perseverance.html\">Perseverance</a></nav>\n\
             <main>\n<h1>{title}</h1>\n{body}\n</main>\n</html>\n"
        );
        (*name, html.into_bytes())
    };
    let mut files: Vec<(&str, Vec<u8>)> = PAGES.iter().map(page).collect();
    files.push(("pictures/hazel.png", b"\x89PNG\r\n\x1a\n".to_vec()));
    files
}

/// The faults in it, published at `https://www.ashlock-canal.test/`: target, and what was meant.
pub const MOVED_TRUTH: &[(&str, Option<&str>)] = &[
    (
        "http://users.westshire.test/~museum/visit.html",
        Some("https://www.ashlock-canal.test/visit.html"),
    ),
    ("http://users.westshire.test/~museum/boats/", Some("https://www.ashlock-canal.test/boats/")),
    (
        "http://users.westshire.test/~museum/paths/towpath.html",
        Some("https://www.ashlock-canal.test/paths/towpath.html"),
    ),
    (
        "http://users.westshire.test/~museum/boats/heron.html",
        Some("https://www.ashlock-canal.test/boats/heron.html"),
    ),
    (
        "http://users.westshire.test/~museum/boats/hazel.html",
        Some("https://www.ashlock-canal.test/boats/hazel.html"),
    ),
    ("http://users.westshire.test/~museum/boats/tugs.html", None),
    (
        "https://www.ashlock-canal.test/www.ironwork-society.test/",
        Some("http://ironwork-society.test/"),
    ),
    (
        "http://trains.westshire.test/timetable",
        Some("http://trains.westshire.test/timetables/ashlock-halt"),
    ),
    (
        "https://www.ashlock-canal.test/paths/Towpath.html",
        Some("https://www.ashlock-canal.test/paths/towpath.html"),
    ),
    (
        "https://www.ashlock-canal.test/boats/perseverence.html",
        Some("https://www.ashlock-canal.test/boats/perseverance.html"),
    ),
    (
        "https://www.ashlock-canal.test/pictures/hazel.jpg",
        Some("https://www.ashlock-canal.test/pictures/hazel.png"),
    ),
    (
        "https://www.ashlock-canal.test/visit.html#hours",
        Some("https://www.ashlock-canal.test/visit.html#opening-hours"),
    ),
    ("https://www.ashlock-canal.test/press/1987-report.pdf", None),
];
