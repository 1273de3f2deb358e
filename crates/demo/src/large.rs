//! A large site of plain pages, on which all figures are measured.
//!
//! Pages are 32 KB on average, with a heavy tail up to 300 KB, and have about 126 links each: a
//! menu and a footer that are the same everywhere, links in the text, and images.

use std::fmt::Write as _;

use crate::draw::Draw;

const WORDS: [&str; 24] = [
    "the", "lock", "water", "boat", "towpath", "gate", "of", "and", "a", "winter", "ledger",
    "keeper", "stone", "bridge", "iron", "was", "with", "pound", "toll", "horse", "night", "wharf",
    "reeds", "pump",
];

/// The pages of a large site, each with its path. Equal numbers of pages give equal bytes.
pub fn large_site(pages: usize) -> impl Iterator<Item = (String, String)> {
    let mut draw = Draw::new(1);
    (0..pages).map(move |page| (path(page), html(page, pages, &mut draw)))
}

/// The number of images on its pages, at `/pictures/0.jpg` and so on.
pub const LARGE_SITE_PICTURES: usize = 2000;

fn path(page: usize) -> String {
    match page {
        0 => "/index.html".to_owned(),
        _ => format!("/part{}/page{page}.html", page % 50),
    }
}

fn html(page: usize, pages: usize, draw: &mut Draw) -> String {
    let mut html = format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <title>Page {page}</title>\n<link rel=\"stylesheet\" href=\"/style.css\">\n</head>\n<body>\n\
         <header><nav><ul>\n"
    );
    for item in 0..30 {
        let to = path(item * 7 % pages);
        let _ = writeln!(html, "<li class=\"item\"><a href=\"{to}\">Menu {item}</a></li>");
    }
    html.push_str("</ul></nav></header>\n<main>\n");
    // Every page is reachable: from its parent in a tree with ten branches.
    for child in (page * 10 + 1..=page * 10 + 10).filter(|child| *child < pages) {
        let _ = writeln!(html, "<p><a href=\"{}\">Part {child}</a></p>", path(child));
    }
    for _ in 0..58 {
        let to = path(draw.below(pages));
        let text = sentence(draw, 3);
        let _ = writeln!(
            html,
            "<p>{} <a class=\"inline\" href=\"{to}\">{text}</a> {}</p>",
            sentence(draw, 14),
            sentence(draw, 8)
        );
    }
    for _ in 0..12 {
        let picture = draw.below(LARGE_SITE_PICTURES);
        let alt = sentence(draw, 4);
        let _ =
            writeln!(html, "<figure><img src=\"/pictures/{picture}.jpg\" alt=\"{alt}\"></figure>");
    }
    while html.len() < size(page, draw) {
        let _ = writeln!(html, "<p id=\"s{}\">{}</p>", html.len(), sentence(draw, 40));
    }
    html.push_str("</main>\n<footer><ul>\n");
    for item in 0..24 {
        let to = path(item * 11 % pages);
        let _ = writeln!(html, "<li><a href=\"{to}\">Footer &amp; more {item}</a></li>");
    }
    html.push_str("</ul></footer>\n</body>\n</html>\n");
    html
}

/// Most pages are small, a few are large: the size is inversely proportional to the rank.
fn size(page: usize, draw: &mut Draw) -> usize {
    let _ = draw.below(2);
    let rank = (page * 7919) % 1000 + 1;
    (17_800 + 2_600_000 / (rank + 8)).min(300_000)
}

fn sentence(draw: &mut Draw, words: usize) -> String {
    let mut text = String::new();
    for _ in 0..words {
        text.push_str(WORDS[draw.below(WORDS.len())]);
        text.push(' ');
    }
    text.truncate(text.len() - 1);
    text
}
