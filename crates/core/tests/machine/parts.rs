//! Parts that pages share are followed once. Nothing but the work differs.

use std::time::Duration;

use rummage_core::crawl::Settings;

use crate::web::{Act, Seen, Web};

/// A page whose header is the same on all pages of the site, and a menu of its folder.
fn page(title: &str, head: &str, menu: &str, own: &str) -> Act {
    let header = [
        "<a href=/>Home</a>",
        "<a href=/a/1.html>One</a>",
        "<a href='/a/2.html#top'>Two</a>",
        "<a href='/a/3.html#gone'>Three</a>",
        "<a href=https://b.test/known>A known host</a>",
        "<a href=http://b.test/lost>A lost page</a>",
        "<a href=mailto:lock@a.test>Mail</a>",
        "<img src=/boat.png>",
    ];
    let padding = "The keeper of the lock says so. ".repeat(16);
    Act::Page(format!(
        "<!doctype html><html><head><title>{title}</title>{head}</head><body><nav>{padding}{}</nav>\
         <nav>{padding}{menu}</nav><main><p>{title} {own}</p></main></body></html>",
        header.concat()
    ))
}

/// Pages in two folders and a deeper one; those of a folder have the same menu.
fn site(header: &str) -> Web {
    let menu =
        "<a href=1.html>a</a><a href=2.html>b</a><a href=lost.html>c</a><a href=4.html#x>d</a>";
    let whole =
        "<a href='?q=1'>a</a><a href='#here'>b</a><a href=/x/9>c</a><a href=//b.test/known>d</a>";
    let mut web = Web::default()
        .on("http://a.test/", page("The start", header, whole, "<a href=/c/1.html>c</a>"))
        .on("http://b.test/known", Act::Page("<p>A host</p>".to_owned()))
        .on("https://b.test/known", Act::Page("<p>A host</p>".to_owned()))
        .on("http://a.test/boat.png", Act::File("image/png"));
    for folder in ["a", "c", "c/d"] {
        for number in 1..=5 {
            let url = format!("http://a.test/{folder}/{number}.html");
            let own =
                format!("<a href={}.html>next</a> <a href=d/{number}.html>in</a>", number % 5 + 1);
            let menu = if number == 5 { whole } else { menu };
            let head = if folder == "c" && number > 2 { "<base href=/a/>" } else { header };
            web = web.on(&url, page(&format!("{folder} {number}"), head, menu, &own));
        }
    }
    web
}

/// All that has nothing to do with the order of replies.
fn results(seen: &Seen) -> impl PartialEq + std::fmt::Debug + use<> {
    let sorted = |list: &[String]| {
        let mut list = list.to_vec();
        list.sort();
        list
    };
    let requests = seen.requests.iter().map(|(_, method, url)| format!("{method:?} {url}"));
    let requests = sorted(&requests.collect::<Vec<_>>());
    let (missing, faults) = (sorted(&seen.missing), sorted(&seen.faults));
    (requests, seen.verdicts.clone(), seen.links.clone(), missing, faults, seen.notes.len())
}

/// How often links were not followed again.
fn spared(seen: &Seen) -> usize {
    seen.parts.values().map(|occurrences| occurrences.len() - 1).sum()
}

#[test]
fn a_crawl_with_known_parts_gives_the_same() {
    let depth = |depth| Settings { depth, ..Settings::default() };
    for header in
        ["", "<meta http-equiv=Content-Security-Policy content=upgrade-insecure-requests>"]
    {
        for settings in [depth(None), depth(Some(1)), depth(Some(2))] {
            let plain = site(header).crawl(settings.clone());
            let repeating = site(header).repeating().crawl(settings.clone());
            assert_eq!(results(&repeating), results(&plain), "{settings:?}");
            assert!(plain.parts.is_empty(), "nothing is known");
            for (number, occurrences) in &repeating.parts {
                assert!(occurrences.iter().all(|links| *links == occurrences[0]), "{number}");
            }
            let least = if settings.depth.is_none() { 8 } else { 0 };
            assert!(spared(&repeating) >= least, "{}", spared(&repeating));
        }
    }
}

/// Two pages have the same references in one folder, and other targets in another.
#[test]
fn a_menu_of_relative_references_is_followed_in_each_folder() {
    let seen = site("").repeating().crawl(Settings::default());
    for folder in ["a", "c/d"] {
        let links = &seen.links[&format!("http://a.test/{folder}/4.html")];
        assert!(links.contains(&format!("http://a.test/{folder}/lost.html")), "{links:?}");
    }
    let with_base = &seen.links["http://a.test/c/4.html"];
    assert!(with_base.contains(&"http://a.test/a/lost.html".to_owned()), "{with_base:?}");
}

/// A page with the same menu is nearer to the start, but takes longer to respond.
#[test]
fn the_links_of_a_nearer_page_are_followed_again() {
    let menu = "<a href=/m/1>a</a><a href=/m/2>b</a><a href=/m/3>c</a><a href=/m/4>d</a>";
    let with_menu = |title: &str, own: &str| page(title, "", menu, own);
    let mut web = Web::default()
        .on("http://a.test/", Act::Page("<a href=/far/1>far</a><a href=/near>near</a>".to_owned()))
        .slow("http://a.test/near", Duration::from_secs(9), with_menu("near", ""));
    for number in 1..=6 {
        let own = format!("<a href=/far/{}>on</a>", number + 1);
        web = web
            .on(&format!("http://a.test/far/{number}"), with_menu(&format!("far {number}"), &own));
    }
    for number in 1..=4 {
        let own = format!("<a href=/end/{number}>end</a>");
        web = web.on(&format!("http://a.test/m/{number}"), page("A menu page", "", "", &own));
    }
    let settings = Settings { depth: Some(2), ..Settings::default() };
    let (plain, repeating) = (web.clone().crawl(settings.clone()), web.repeating().crawl(settings));
    assert_eq!(results(&repeating), results(&plain));
    assert!(spared(&repeating) > 0);
    let ends = repeating.verdicts.keys().filter(|url| url.contains("/end/"));
    assert_eq!(ends.count(), 4, "they are three links away by the nearer page, four by the others");
}
