//! Replies in any order, at any delay, twice or late: the verdicts stay the same.

use std::collections::BTreeSet;
use std::time::Duration;

use proptest::prelude::*;
use rummage_core::Moment;
use rummage_core::crawl::{Crawl, Fragments, Settings};
use url::Url;

use crate::web::{Act, Mischief, Seen, Web, page};

/// Pages that are also named by elements that expect another type, so that side requests and a
/// page's own requests are in flight together; and links on each of them.
fn web() -> Web {
    let mut home = String::new();
    let mut hub = String::new();
    let mut web = Web::default();
    for n in 0..12 {
        let named = match n % 3 {
            0 => format!("<object data=/p{n}></object>"),
            1 => format!("<img src=/p{n}>"),
            _ => format!("<a href=/p{n}#part>p</a>"),
        };
        home.push_str(&named);
        hub.push_str(&format!("<a href=/p{n}#part>{n}</a>"));
        web = web.on(&format!("http://a.test/p{n}"), page(&[&format!("/gone{n}"), "/hub"]));
    }
    home.push_str("<link rel=preload as=style href=/s.css><a href=/list>l</a>");
    hub.push_str("<link rel=stylesheet href=/s.css><link rel=sitemap href=/list>");
    let list = "<urlset><url><loc>http://a.test/listed</loc></url></urlset>";
    web = web
        .on("http://a.test/s.css", Act::Body("text/css", "b{background:url(/paper)}".into()))
        .on("http://a.test/list", Act::Body("application/xml", list.into()));
    home.push_str("<a href=/hub>h</a><a href=/old>o</a><a href=http://b.test/x#part>x</a>");
    web.on("http://a.test/", Act::Page(home))
        .on("http://a.test/hub", Act::Page(hub))
        .on("http://a.test/old", Act::Redirect(301, "/p3".into()))
        .on("http://b.test/x", page(&["/never"]))
}

fn fresh(settings: &Settings) -> Crawl {
    Crawl::new(settings.clone(), vec![Url::parse("http://a.test/").unwrap()])
}

fn settings() -> Settings {
    Settings { fragments: Fragments::All, ..Settings::default() }
}

/// What a user would see of a crawl.
fn results(seen: &Seen) -> (String, BTreeSet<String>, BTreeSet<String>, BTreeSet<String>) {
    let verdicts = format!("{:#?}", seen.verdicts);
    let set = |list: &[String]| list.iter().cloned().collect();
    (verdicts, set(&seen.pages), set(&seen.missing), set(&seen.faults))
}

#[test]
fn a_page_named_by_an_image_and_a_link_is_parsed_in_any_order_of_replies() {
    // Because of the link it is a page to parse; because of the image it is also requested as
    // one.
    let web = Web::default()
        .on("http://a.test/", Act::Page("<img src=/p><a href=/hub>h</a>".into()))
        .slow("http://a.test/hub", Duration::from_millis(50), page(&["/p"]))
        .on("http://a.test/p", page(&["/gone"]));
    let mut seen = web.crawl(settings());
    assert!(seen.pages.contains(&"http://a.test/p".to_owned()), "{:?}", seen.pages);
    let last_first = Mischief::order(|in_flight| in_flight - 1);
    seen = web.drive_by(fresh(&settings()), Moment::START, last_first);
    assert!(seen.pages.contains(&"http://a.test/p".to_owned()), "{:?}", seen.pages);
    assert_eq!(seen.verdict("http://a.test/gone"), "broken not-found 404");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn any_order_and_delay_of_replies_gives_the_same_results(seed in any::<u64>()) {
        let plain = web().crawl(settings());
        let mixed = web().drive_by(fresh(&settings()), Moment::START, Mischief::random(seed));
        prop_assert_eq!(results(&mixed), results(&plain));
        prop_assert_eq!(mixed.crawl.progress(), plain.crawl.progress());
        for behind in ["http://a.test/listed", "http://a.test/paper", "http://a.test/gone11"] {
            prop_assert_eq!(plain.verdict(behind), "broken not-found 404");
        }
    }

    #[test]
    fn a_run_stopped_with_requests_in_flight_continues_to_the_same_results(
        seed in any::<u64>(),
        stop in 1usize..50,
    ) {
        let plain = web().crawl(settings());
        let stopped = Mischief::random(seed).stopped_after(stop);
        let first = web().drive_by(fresh(&settings()), Moment::START, stopped);
        let mut crawl = fresh(&settings());
        for (url, response) in &first.replies {
            prop_assert!(crawl.handle_replayed(url, response.clone()));
        }
        crawl.handle_resumed();
        let second = web().drive_by(crawl, first.end, Mischief::random(!seed));
        prop_assert_eq!(results(&second), results(&plain));
        prop_assert_eq!(second.crawl.progress(), plain.crawl.progress());
    }

    #[test]
    fn duplicate_and_late_replies_change_nothing(seed in any::<u64>()) {
        let plain = web().crawl(settings());
        let mischief = Mischief::random(seed).with_duplicates();
        let mixed = web().drive_by(fresh(&settings()), Moment::START, mischief);
        prop_assert_eq!(results(&mixed), results(&plain));
        prop_assert_eq!(mixed.crawl.progress(), plain.crawl.progress());
    }
}
