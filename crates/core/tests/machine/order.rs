//! The same web gives the same crawl, and every URL is requested once.

use std::collections::HashSet;
use std::time::Duration;

use proptest::prelude::*;
use rummage_core::crawl::Settings;

use crate::web::{Act, Web, generator, page};

/// A web with this many pages; page n leads to three others, by a small generator.
fn web(pages: usize, seed: u64) -> Web {
    let mut draw = generator(seed);
    let mut web = Web::default();
    for n in 0..pages {
        let mut links: Vec<String> = vec![format!("/{}", (n + 1) % pages)];
        links.extend((0..3).map(|_| format!("/{}", draw(pages + pages / 20 + 1))));
        let links: Vec<&str> = links.iter().map(String::as_str).collect();
        let url = if n == 0 { "http://a.test/".into() } else { format!("http://a.test/{n}") };
        let act = if n > 0 && draw(20) == 0 {
            Act::Redirect(301, links[0].to_owned())
        } else {
            page(&links)
        };
        web = web.slow(&url, Duration::from_millis(draw(400) as u64), act);
    }
    web.on("http://a.test/0", Act::Redirect(302, "/".into()))
}

#[test]
fn a_thousand_pages_are_parsed_once_each() {
    let seen = web(1000, 7).crawl(Settings::default());
    let unique: HashSet<&String> = seen.pages.iter().collect();
    assert_eq!(unique.len(), seen.pages.len());
    assert!(seen.pages.len() > 900, "{}", seen.pages.len());
    for (url, verdict) in &seen.verdicts {
        let most = if verdict == "broken not-found 404" { 2 } else { 1 };
        assert!(seen.times_requested(url) <= most, "{url} {verdict}");
    }
    let progress = seen.crawl.progress();
    assert_eq!(progress.done, progress.known);
    assert_eq!(progress.in_flight, 0);
    assert!(seen.most_in_flight <= 16, "{}", seen.most_in_flight);
}

#[test]
fn the_same_web_gives_the_same_requests() {
    let (first, second) =
        (web(200, 3).crawl(Settings::default()), web(200, 3).crawl(Settings::default()));
    assert_eq!(first.requests, second.requests);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn verdicts_do_not_depend_on_the_order_of_responses(seed in any::<u64>(), limit in 1u32..60) {
        let web = web(60, seed);
        let mut hurried = Settings { concurrency: 1, ..Settings::default() };
        let mut wide = Settings::default();
        prop_assert_eq!(&web.crawl(hurried.clone()).verdicts, &web.crawl(wide.clone()).verdicts);
        (hurried.max_pages, wide.max_pages) = (Some(limit), Some(limit));
        let (hurried, wide) = (web.crawl(hurried), web.crawl(wide));
        prop_assert_eq!(&hurried.verdicts, &wide.verdicts);
        prop_assert!(hurried.pages.len() <= limit as usize);
    }
}
