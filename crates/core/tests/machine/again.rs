//! Rechecks and recalled results: everything that is left out is requested anew.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use rummage_core::crawl::{Crawl, Event, Response, Settings};
use rummage_core::evidence::{AttemptOutcome, Failure, Method};
use rummage_core::extract::reading_builder::ReadingBuilder;
use url::Url;

use crate::web::{Act, Seen, Web, page};

fn web() -> Web {
    let mut start = vec!["/p0", "/p7", "/down", "/gone", "/old", "/p3#nowhere", "http://b.test/x"];
    // A host where everything is 404.
    start.extend(["http://c.test/1", "http://c.test/2"]);
    let mut web = Web::default()
        .on("http://a.test/", page(&start))
        .on("http://a.test/down", Act::Fail(Failure::Reset))
        .on("http://a.test/old", Act::Redirect(301, "/p5".into()))
        .on("http://b.test/x", Act::Redirect(302, "/y".into()))
        .on("http://b.test/y", page(&[]));
    for n in 0..12 {
        let links = [format!("/p{}", n + 1), format!("/gone{}", n / 2)];
        web = web.on(&format!("http://a.test/p{n}"), page(&[&links[0], &links[1]]));
    }
    web
}

fn fresh(settings: &Settings) -> Crawl {
    Crawl::new(settings.clone(), vec![Url::parse("http://a.test/").unwrap()])
}

/// Replays an earlier crawl into a new one, without some URLs, and runs it to its end.
fn again(web: &Web, whole: &Seen, left_out: &BTreeSet<String>) -> Seen {
    let settings = Settings::default();
    let mut crawl = fresh(&settings);
    let kept: Vec<_> =
        whole.replies.iter().filter(|(url, _)| !left_out.contains(url)).cloned().collect();
    for (url, reply) in &kept {
        crawl.handle_replayed(url, reply.clone());
    }
    crawl.handle_rechecked();
    let web = web.clone().recalling(&kept);
    web.drive(crawl, settings.retry.timeout, whole.end, usize::MAX)
}

fn requested(seen: &Seen) -> BTreeSet<String> {
    seen.requests.iter().map(|(_, _, url)| url.clone()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever is rechecked, an unchanged web gives the same results, and nothing else is
    /// requested except the canary of a failing server.
    #[test]
    fn a_recheck_of_an_unchanged_web_gives_the_same_results(
        picks in prop::collection::btree_set(0usize..30, 0..8),
    ) {
        let whole = web().crawl(Settings::default());
        let all: Vec<String> = whole.verdicts.keys().cloned().collect();
        let left_out: BTreeSet<String> =
            picks.iter().filter_map(|pick| all.get(*pick)).cloned().collect();
        let seen = again(&web(), &whole, &left_out);
        prop_assert_eq!(&seen.verdicts, &whole.verdicts);
        prop_assert_eq!(seen.missing.len(), whole.missing.len());
        let fails = |url: &String| {
            matches!(seen.verdict(url), verdict if verdict.contains("connection-reset"))
        };
        let beyond: Vec<String> = requested(&seen).difference(&left_out).cloned().collect();
        let canary = left_out.iter().any(fails);
        prop_assert!(beyond.len() <= usize::from(canary), "{:?} beyond {:?}", beyond, left_out);
    }
}

#[test]
fn a_404_counts_once_a_recheck_shows_that_its_host_serves_anything() {
    let whole = web().crawl(Settings::default());
    assert_eq!(whole.verdict("http://c.test/1"), "doubtful blocking 404");
    let changed = web().on("http://c.test/2", page(&[]));
    let left_out = BTreeSet::from(["http://c.test/2".to_owned()]);
    let seen = again(&changed, &whole, &left_out);
    assert_eq!(seen.verdict("http://c.test/2"), "sound 200");
    assert_eq!(seen.verdict("http://c.test/1"), "broken not-found 404");
    assert_eq!(requested(&seen), left_out);
}

#[test]
fn changes_are_found_and_new_links_on_a_page_are_checked() {
    let whole = web().crawl(Settings::default());
    let changed = web()
        .on("http://a.test/p3", page(&["/p4", "/brand-new", "/p9"]))
        .on("http://a.test/gone1", page(&[]));
    let left_out = ["http://a.test/p3", "http://a.test/gone1"].map(str::to_owned).into();
    let seen = again(&changed, &whole, &left_out);
    assert_eq!(seen.verdict("http://a.test/brand-new"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/gone1"), "sound 200");
    let expected: BTreeMap<_, _> =
        whole.verdicts.iter().filter(|(url, _)| !left_out.contains(*url)).collect();
    for (url, verdict) in expected {
        assert_eq!(seen.verdict(url), verdict, "{url}");
    }
    let mut requested = requested(&seen);
    requested.retain(|url| !left_out.contains(url));
    assert_eq!(requested, ["http://a.test/brand-new".to_owned()].into());
}

#[test]
fn a_crawl_that_recalls_external_urls_requests_only_internal_pages() {
    let whole = web().crawl(Settings::default());
    let is_external = |url: &str| !url.starts_with("http://a.test");
    let others: Vec<_> =
        whole.replies.iter().filter(|(url, _)| is_external(url)).cloned().collect();
    let second = web().recalling(&others).crawl(Settings::default());
    assert_eq!(second.verdicts, whole.verdicts);
    let externals: Vec<String> =
        requested(&second).into_iter().filter(|url| is_external(url)).collect();
    assert_eq!(externals, [""; 0]);
    assert_eq!(second.verdict("http://b.test/x"), whole.verdict("http://b.test/x"));
}

#[test]
fn recalled_results_say_nothing_about_the_server_now() {
    // The page of the other server is recalled; new requests to it are refused.
    let web = Web::default()
        .on("http://a.test/", page(&["http://b.test/fine", "http://b.test/down"]))
        .on("http://b.test/fine", page(&[]));
    let whole = web.crawl(Settings::default());
    let fine: Vec<_> =
        whole.replies.iter().filter(|(url, _)| url == "http://b.test/fine").cloned().collect();
    let down = web.on("http://b.test/down", Act::Fail(Failure::Refused)).recalling(&fine);
    let seen = down.crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/fine"), "sound 200");
    assert!(seen.verdict("http://b.test/down").starts_with("broken connection-refused"));
    let unchanged = |(url, response): &&(String, Response)| {
        url == "http://b.test/down"
            && matches!(response.attempt.outcome, AttemptOutcome::Failure(_))
    };
    assert!(seen.replies.iter().filter(unchanged).count() >= 3, "requested as often as before");
}

/// A gallery whose images get a HEAD first, one of which is a lie.
fn gallery() -> Web {
    let images: String = (0..12).map(|n| format!("<img src=/i{n}>")).collect();
    let mut web = Web::default()
        .on("http://a.test/", page(&["/gallery"]))
        .on("http://a.test/gallery", Act::Page(images));
    for n in 0..12 {
        web = web.on(&format!("http://a.test/i{n}"), Act::File("image/png"));
    }
    web
}

/// A run that recalled them under a server that was trusted has no GET of them. Whatever is known
/// of the server by then, the next recheck does not make one.
#[test]
fn an_image_whose_head_was_believed_is_not_requested_in_a_recheck() {
    let mut whole = gallery().crawl(Settings::default());
    let is_image = |url: &str| url.starts_with("http://a.test/i");
    let by_get = |reply: &Response| reply.attempt.method == Method::Get;
    let confirmed = whole.replies.iter().filter(|(url, it)| is_image(url) && by_get(it)).count();
    assert!((8..12).contains(&confirmed), "{confirmed} of 12 were confirmed by GET");
    whole.replies.retain(|(url, reply)| !is_image(url) || !by_get(reply));
    for left_out in ["http://a.test/gallery", "http://a.test/"] {
        let left_out = BTreeSet::from([left_out.to_owned()]);
        let seen = again(&gallery(), &whole, &left_out);
        assert_eq!(requested(&seen), left_out);
        assert_eq!(seen.verdicts, whole.verdicts);
    }
}

#[test]
fn a_head_that_get_contradicted_is_not_recalled() {
    let (says_yes, says_no) = (Act::File("image/png").into(), Act::Status(404).into());
    let web = gallery().on("http://a.test/i3", Act::ByMethod(says_yes, says_no));
    let whole = web.crawl(Settings::default());
    assert_eq!(whole.verdict("http://a.test/i3"), "broken not-found 404");
    let left_out = BTreeSet::from(["http://a.test/gallery".to_owned()]);
    let seen = again(&web, &whole, &left_out);
    assert_eq!(requested(&seen), left_out);
    assert_eq!(seen.verdicts, whole.verdicts);
}

/// Of a page that was not parsed then, only the title is known: that is not a page without links.
#[test]
fn a_stored_title_is_not_taken_for_a_page() {
    let web = web();
    let whole = web.crawl(Settings::default());
    let mut crawl = fresh(&Settings::default());
    for (url, reply) in &whole.replies {
        let mut reply = reply.clone();
        if url == "http://a.test/p3" {
            let mut builder = ReadingBuilder::default();
            builder.set_title("Page three");
            builder.set_title_only();
            reply.reading = Some(builder.finish(true));
        }
        crawl.handle_replayed(url, reply);
    }
    let mut read = Vec::new();
    let mut titles = Vec::new();
    while let Some(event) = crawl.poll_event() {
        match event {
            Event::Read { id, .. } => read.push(crawl.url(id).to_owned()),
            Event::Requested { title, .. } => titles.extend(title),
            _ => {}
        }
    }
    assert!(read.contains(&"http://a.test/p2".to_owned()), "{read:?}");
    assert!(!read.contains(&"http://a.test/p3".to_owned()), "{read:?}");
    assert!(titles.contains(&"Page three".to_owned()), "its title is reported");
}
