//! Endless URL patterns are skipped; real pages, however similar their URLs, are not.

use rummage_core::crawl::{Note, Settings};
use rummage_core::url::pattern::Pattern;

use crate::web::{Act, Seen, Web};

const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/// A page with a menu and links.
fn page(text: &str, links: &[String]) -> Act {
    let links: String = links.iter().map(|to| format!("<a href='{to}'>on</a> ")).collect();
    Act::Page(format!("<title>T</title><a href='/'>Home</a><p>{text}</p>{links}"))
}

/// The rules that were reported.
fn traps(seen: &Seen) -> Vec<&str> {
    fn rule(note: &Note) -> &str {
        match note {
            Note::Trap(stop) => &stop.rule,
            other => panic!("{other:?}"),
        }
    }
    seen.notes.iter().map(|(_, note)| rule(note)).collect()
}

/// A calendar of a hundred years, and one other page.
fn calendar() -> Web {
    let url = |month: usize| format!("/cal?m={}-{:02}", 2026 + month / 12, 1 + month % 12);
    let mut web = Web::default()
        .on("http://a.test/", page("Home", &[url(0), "/about".into()]))
        .on("http://a.test/about", page("About", &[]));
    for month in 0..1200 {
        let text = format!("{} {}", MONTHS[month % 12], 2026 + month / 12);
        let act = page(&text, &[url(month + 1)]);
        web = web.on(&format!("http://a.test{}", url(month)), act);
    }
    web
}

#[test]
fn a_calendar_is_stopped_and_its_rule_reported() {
    let seen = calendar().crawl(Settings::default());
    assert_eq!(traps(&seen), ["/cal?*"]);
    assert!((500..510).contains(&seen.pages.len()), "{}", seen.pages.len());
    assert_eq!(seen.verdict("http://a.test/about"), "sound 200");
    assert!(seen.verdicts.values().any(|verdict| verdict == "skipped trap"));

    let rule = Pattern::new(traps(&seen)[0]);
    let without = calendar().crawl(Settings { exclude: vec![rule.clone()], ..Settings::default() });
    assert_eq!(without.pages.len(), 2);
    let with = calendar().crawl(Settings { include: vec![rule], ..Settings::default() });
    assert_eq!(with.pages.len(), 1202);
}

#[test]
fn a_calendar_with_a_page_for_each_day_is_stopped() {
    let month = |n: usize| format!("/cal2/{}/{:02}/", 2026 + n / 12, 1 + n % 12);
    let mut web = Web::default().on("http://a.test/", page("Home", &[month(0)]));
    for n in 0..400 {
        let mut links = vec![month(n + 1)];
        for day in 1..=28 {
            let path = format!("{}{day}/", month(n));
            web =
                web.on(&format!("http://a.test{path}"), page(&format!("No events on {path}"), &[]));
            links.push(path);
        }
        let name = format!("{} {}", MONTHS[n % 12], 2026 + n / 12);
        web = web.on(&format!("http://a.test{}", month(n)), page(&name, &links));
    }
    let seen = web.crawl(Settings::default());
    assert!(seen.pages.len() < 1000, "{}", seen.pages.len());
    assert_eq!(traps(&seen), ["/cal2/*/"]);
}

#[test]
fn sessions_that_multiply_are_stopped() {
    let mut web = Web::default().on("http://a.test/", page("Home", &["/x?sid=1".into()]));
    for n in 1..20_000 {
        let text = if n % 2 == 0 { "The locks" } else { "The boats" };
        let links = [format!("/x?sid={}", 2 * n), format!("/y?sid={}", 2 * n + 1)];
        let path = if n % 2 == 0 { "x" } else { "y" };
        web = web.on(&format!("http://a.test/{path}?sid={n}"), page(text, &links));
        web = web.on(&format!("http://a.test/x?sid={n}"), page(text, &links));
    }
    let seen = web.crawl(Settings::default());
    assert!(seen.pages.len() < 5000, "{}", seen.pages.len());
    assert!(traps(&seen).contains(&"/x?*"));
}

/// A word for a number, in which no digit helps.
fn word(number: usize) -> String {
    let letter = |at: u32| char::from(b'a' + (number / 26_usize.pow(at) % 26) as u8);
    (0..4).map(letter).collect()
}

#[test]
fn words_that_lead_to_words_are_stopped_by_their_text() {
    let path = |n: usize| format!("/{}", word(n * 7 + 1));
    let mut web = Web::default().on("http://a.test/", page("Home", &[path(0), "/about".into()]));
    web = web.on("http://a.test/about", page("About", &[]));
    for n in 0..3_000 {
        web =
            web.on(&format!("http://a.test{}", path(n)), page("The lock is shut", &[path(n + 1)]));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(traps(&seen), ["/*"]);
    assert!((500..510).contains(&seen.pages.len()), "{}", seen.pages.len());
    assert_eq!(seen.verdict("http://a.test/about"), "sound 200");
    let next = format!("http://a.test{}", path(501));
    assert_eq!(seen.verdict(&next), "skipped trap");
}

#[test]
fn sessions_in_the_path_are_stopped_by_their_text() {
    let path = |n: usize, page: usize| format!("/s/{}/page-{}", word(n * 7 + 1), word(page));
    let mut web = Web::default().on("http://a.test/", page("Home", &[path(0, 0)]));
    for n in 0..2_000 {
        for (at, month) in MONTHS.iter().enumerate().take(10) {
            // Each page has the links of its session, and one that begins another.
            let mut links: Vec<String> = (0..10).map(|to| path(n, to)).collect();
            links.push(path(10 * n + at + 1, 0));
            let text = format!("About the lock called {month}");
            web = web.on(&format!("http://a.test{}", path(n, at)), page(&text, &links));
        }
    }
    let seen = web.crawl(Settings::default());
    assert!(traps(&seen).contains(&"/s/*"), "{:?}", traps(&seen));
    assert!(seen.pages.len() < 2_500, "{}", seen.pages.len());
}

#[test]
fn a_gallery_of_pages_without_words_of_their_own_is_parsed() {
    let path = |n: usize| format!("/{}", word(n * 7 + 1));
    let mut web = Web::default().on("http://a.test/", page("Home", &[path(0)]));
    for n in 0..1_500 {
        let photo = format!("One of our photos <img src='/img/{}.jpg'>", word(n));
        let next = if n < 1_499 { vec![path(n + 1)] } else { Vec::new() };
        web = web.on(&format!("http://a.test{}", path(n)), page(&photo, &next));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!((seen.pages.len(), traps(&seen).len()), (1_501, 0));
}

#[test]
fn real_pages_that_differ_only_in_their_query_are_all_parsed() {
    let mut web = Web::default().on("http://a.test/", page("Home", &["/?p=1".into()]));
    for n in 1..=3000 {
        let word = MONTHS[n % 12].repeat(1 + n / 12);
        let next = if n < 3000 { vec![format!("/?p={}", n + 1)] } else { Vec::new() };
        web = web.on(&format!("http://a.test/?p={n}"), page(&word, &next));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!((seen.pages.len(), seen.notes.len()), (3001, 0));
}

#[test]
fn paths_that_repeat_themselves_are_stopped() {
    let mut web = Web::default().on("http://a.test/", page("Home", &["/a/".into()]));
    let mut path = String::from("/");
    for _ in 0..30 {
        path += "a/";
        // A link without its slash.
        web = web.on(&format!("http://a.test{path}"), page("A", &["a/".into()]));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(traps(&seen), ["*/a/*/a/*"]);
    assert_eq!(seen.verdict("http://a.test/a/a/a/"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/a/a/a/a/"), "skipped trap");
    let include = vec![Pattern::new(traps(&seen)[0])];
    let seen = web.crawl(Settings { include, ..Settings::default() });
    assert_eq!(seen.verdict(&format!("http://a.test/{}", "a/".repeat(31))), "broken not-found 404");
}

#[test]
fn pages_rendered_by_javascript_are_reported() {
    let shell =
        || Act::Page("<title>App</title><div id=app></div><script src=/app.js></script>".into());
    let seen = Web::default().on("http://a.test/", shell()).crawl(Settings::default());
    assert_eq!(seen.notes, [("http://a.test/".to_owned(), Note::RenderedByScript)]);

    let thanks = "<title>Thanks</title><p>Thank you.<script>count()</script>";
    let web = Web::default()
        .on("http://a.test/", page("Home", &["/app/1".into(), "/app/2".into(), "/thanks".into()]))
        .on("http://a.test/app/1", shell())
        .on("http://a.test/app/2", shell())
        .on("http://a.test/thanks", Act::Page(thanks.into()));
    let seen = web.crawl(Settings::default());
    let mut drawn: Vec<&str> = seen.notes.iter().map(|(url, _)| url.as_str()).collect();
    drawn.sort_unstable();
    assert_eq!(drawn, ["http://a.test/app/1", "http://a.test/app/2"]);
}
