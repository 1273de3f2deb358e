//! Parts that pages share are followed once. Nothing but the work differs.

use std::time::Duration;

use rummage_core::crawl::{Note, Settings};
use rummage_core::evidence::ResponseHead;
use url::Url;

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
        for settings in [depth(None), depth(Some(2))] {
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
    let plain_page = |links: &str| Act::Page(format!("<p>Some words</p>{links}"));
    let mut web = Web::default()
        .on("http://a.test/", plain_page("<a href=/far/0>far</a><a href=/near>near</a>"))
        .on("http://a.test/far/0", plain_page("<a href=/far/1>on</a>"))
        .slow("http://a.test/near", Duration::from_secs(9), with_menu("near", ""));
    for number in 1..=5 {
        let own = format!("<a href=/far/{}>on</a>", number + 1);
        let url = format!("http://a.test/far/{number}");
        web = web.on(&url, with_menu(&format!("far {number}"), &own));
    }
    for (from, to) in [("m", "n"), ("n", "o"), ("o", "end"), ("end", "last")] {
        for number in 1..=4 {
            let url = format!("http://a.test/{from}/{number}");
            let link = format!("<b>{from} {number}</b><a href=/{to}/{number}>on</a>");
            web = web.on(&url, plain_page(&link));
        }
    }
    // /end is five links away by the nearer page, and six by the others.
    let settings = Settings { depth: Some(5), ..Settings::default() };
    let (plain, repeating) = (web.clone().crawl(settings.clone()), web.repeating().crawl(settings));
    assert_eq!(results(&repeating), results(&plain));
    assert_eq!(repeating.parts.len(), 4, "{:?}", repeating.parts);
    let last = repeating.verdicts.keys().filter(|url| url.contains("/last/"));
    assert_eq!(last.count(), 4, "they are known only because the nearer page is near");
}

/// Pages with the header of all pages and these menus, each listed by the start page.
fn pages_with(origin: &str, menus: &[&str], head: &str) -> Web {
    let list: String = (0..menus.len()).map(|n| format!("<a href=/s/{n}>{n}</a>")).collect();
    let mut web = Web::default().on(&format!("{origin}/"), Act::Page(list));
    for (number, menu) in menus.iter().enumerate() {
        let url = format!("{origin}/s/{number}");
        web = web.on(&url, page(&format!("Page {number}"), head, menu, "words"));
    }
    web
}

/// Compares crawls with and without known parts. Returns the one with.
fn compare(web: &Web, settings: &Settings, start: &str) -> Seen {
    let plain = web.clone().crawl_from(settings.clone(), &[start]);
    let repeating = web.clone().repeating().crawl_from(settings.clone(), &[start]);
    assert_eq!(results(&repeating), results(&plain), "{settings:?}");
    repeating
}

#[test]
fn each_page_with_a_faulty_link_is_reported() {
    // On a public site, the two links of the header to reserved hosts are placeholders.
    for (faulty, expected) in [("", 12), ("<a href='javascript:void(0)'>x</a>", 18)] {
        let menu =
            format!("<a href=/1>a</a><a href=/2>b</a><a href=/3>c</a><a href=/4>d</a>{faulty}");
        let web = pages_with("http://canal.internal", &[menu.as_str(); 6], "");
        let seen = compare(&web, &Settings::default(), "http://canal.internal/");
        assert_eq!(seen.faults.len(), expected, "{:?}", seen.faults);
        assert_eq!(spared(&seen) > 0, faulty.is_empty());
    }
}

#[test]
fn each_base_and_each_policy_has_targets_of_its_own() {
    let menu = "<a href=1>a</a><a href=2>b</a><a href=/3>c</a><img src='http://a.test/4.png'>";
    let link = "<a href=http://b.test/1>a</a><a href=/2>b</a><a href=/3>c</a><a href=/4>d</a>";
    let mut web = pages_with("https://a.test", &[menu; 18], "<base href=/c/>");
    for number in 5..18 {
        let (head, menu) = if number < 10 { ("<base href=/d/>", menu) } else { ("", link) };
        let act = page(&format!("Page {number}"), head, menu, "words");
        let answer =
            ResponseHead { upgrades: (10..16).contains(&number), ..ResponseHead::default() };
        web =
            web.on(&format!("https://a.test/s/{number}"), Act::ResponseHead(answer, Box::new(act)));
    }
    let seen = compare(&web, &Settings::default(), "https://a.test/");
    for (page, expected) in [
        (4, "https://a.test/c/1"),
        (9, "https://a.test/d/1"),
        (15, "https://b.test/1"),
        (17, "http://b.test/1"),
    ] {
        let links = &seen.links[&format!("https://a.test/s/{page}")];
        assert!(links.contains(&expected.to_owned()), "{page}: {links:?}");
    }
    assert!(spared(&seen) > 0);
}

#[test]
fn pages_of_a_menu_are_admitted_in_the_same_order() {
    let menus = ["<a href=/m/1>a</a><a href=/m/2>b</a><a href=/m/3>c</a><a href=/m/4>d</a>"; 6];
    let mut web = pages_with("http://a.test", &menus, "");
    // The first page in the list is the last one to respond.
    let own = "<a href=/own/1>1</a><a href=/own/2>2</a><a href=/own/3>3</a>";
    web = web.slow("http://a.test/s/0", Duration::from_secs(5), page("Page 0", "", menus[0], own));
    for number in 1..=3 {
        web = web.on(&format!("http://a.test/own/{number}"), Act::Page(format!("<p>{number}")));
    }
    for number in 1..=4 {
        let menu = format!("<p>{number}</p><a href=/n/{number}>n</a>");
        web = web.on(&format!("http://a.test/m/{number}"), page("A page", "", &menu, "words"));
    }
    for most in 4..14 {
        let settings = Settings { max_pages: Some(most), ..Settings::default() };
        compare(&web, &settings, "http://a.test/");
    }
}

/// Only another page's link leads to a page, which has the same menu three times.
#[test]
fn a_page_that_names_itself_is_reached_by_others() {
    let menu = "<a href=/own>a</a><a href=/2>b</a><a href=/3>c</a><a href=/4>d</a>";
    let words = "The keeper of the lock says so. ".repeat(16);
    let nav = format!("<nav>{words}{menu}</nav>");
    let own = Act::Page(format!("<body>{nav}{nav}{nav}{nav}<main>own</main></body>"));
    let other = Act::Page(format!("<body>{nav}<main>Another page</main></body>"));
    let web = Web::default()
        .on("http://a.test/", Act::Page("<p>The start</p>".to_owned()))
        .on("http://a.test/own", own)
        .on("http://a.test/other", other);
    let listed = ["http://a.test/own", "http://a.test/other"];
    let listed = listed.map(|url| vec![Url::parse(url).unwrap()]).to_vec();
    let settings = Settings { listed, ..Settings::default() };
    let seen = compare(&web, &settings, "http://a.test/");
    let unreached: Vec<_> =
        seen.notes.iter().filter(|(_, note)| *note == Note::Unreached).collect();
    assert_eq!(unreached.len(), 1, "{unreached:?}");
}

/// What a copy of many pages is the first to name is not requested, until another page with its menu
/// names it. The menu occurs often enough on the copy alone.
#[test]
fn the_menu_of_a_copy_is_followed_on_another_page() {
    let words = "The keeper of the lock says so. ".repeat(16);
    let menu = |to: &str| -> String {
        let links = (1..=4).map(|n| format!("<li><a href=/{to}/{n}>entry</a>"));
        format!("<nav>{words}{}</nav>", links.collect::<String>())
    };
    let list: String = (0..120).map(|n| format!("<a href=/w/{n}>{n}</a>")).collect();
    let mut web = Web::default().on("http://a.test/", Act::Page(list + "<a href=/real>real</a>"));
    for number in 0..120 {
        let (to, latency) = if number < 119 { ("early", 0) } else { ("late", 5) };
        let own = (0..6).map(|n| format!("<a href=/own/{number}/{n}>new</a>"));
        let own = own.collect::<String>();
        let copy = format!("<body>{}<main>A copy {own}</main>", menu(to).repeat(4));
        let url = format!("http://a.test/w/{number}");
        web = web.slow(&url, Duration::from_secs(latency), Act::Page(copy));
    }
    for number in 1..=4 {
        let late = format!("http://a.test/late/{number}");
        web = web.on(&late, Act::Page(format!("<p>A late page {number}")));
    }
    let real = format!("<body>{}<main>A page of its own</main>", menu("late"));
    web = web.slow("http://a.test/real", Duration::from_secs(20), Act::Page(real));
    let seen = compare(&web, &Settings::default(), "http://a.test/");
    assert!(spared(&seen) > 50, "{}", spared(&seen));
    for number in 1..=4 {
        assert_eq!(seen.verdicts[&format!("http://a.test/late/{number}")], "sound 200");
    }
}
