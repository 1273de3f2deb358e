//! Cookies live for one chain of redirects.

use rummage_core::crawl::Settings;
use rummage_core::evidence::{ResponseHead, SetCookie};

use crate::web::{Act, Web, page};

/// A redirect that sets a cookie.
fn sets(name: &str, value: &str, to: &str) -> Act {
    let cookie =
        SetCookie { name: name.into(), value: value.into(), hash: 1, ..SetCookie::default() };
    let beside = ResponseHead { cookies: vec![cookie], ..ResponseHead::default() };
    Act::ResponseHead(beside, Box::new(Act::Redirect(302, to.into())))
}

fn wants(cookie: &'static str, fine: Act, else_: Act) -> Act {
    Act::WithCookie(cookie, Box::new(fine), Box::new(else_))
}

#[test]
fn a_page_that_sets_a_cookie_and_redirects_to_itself_is_sound_and_parsed() {
    let web = Web::default()
        .on("http://a.test/", page(&["/app", "/plain"]))
        .on("http://a.test/app", wants("seen=1", page(&["/in-the-app"]), sets("seen", "1", "/app")))
        .on("http://a.test/in-the-app", page(&[]))
        .on("http://a.test/plain", wants("seen=1", Act::Status(500), page(&[])));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/app"), "sound redirected 200");
    assert_eq!(seen.verdict("http://a.test/in-the-app"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/plain"), "sound 200", "no cookie outlives its chain");
}

#[test]
fn a_start_url_that_sets_a_cookie_and_redirects_to_itself_is_crawled() {
    let home = wants("seen=1", page(&["/next"]), sets("seen", "1", "/"));
    let web = Web::default().on("http://a.test/", home).on("http://a.test/next", page(&[]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.crawl.start_problem(), None);
    assert_eq!(seen.verdict("http://a.test/next"), "sound 200");
    let by_a_check = Web::default()
        .on("http://a.test/", wants("ok=1", page(&["/next"]), Act::Redirect(302, "/check".into())))
        .on("http://a.test/check", sets("ok", "1", "/"))
        .on("http://a.test/next", page(&[]));
    let seen = by_a_check.crawl(Settings::default());
    assert_eq!(seen.crawl.start_problem(), None);
    assert_eq!(seen.verdict("http://a.test/next"), "sound 200");
}

#[test]
fn a_chain_that_ends_badly_is_followed_again_with_its_cookies() {
    let web = Web::default()
        .on("http://a.test/", page(&["http://b.test/offer", "http://c.test/x"]))
        .on("http://b.test/offer", sets("visit", "7", "http://b.test/inside"))
        .on("http://b.test/inside", wants("visit=7", page(&[]), Act::Status(403)))
        .on("http://c.test/x", sets("visit", "7", "http://b.test/inside"));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/offer"), "sound redirected 200");
    let of_another = "a cookie goes back to the host that set it alone";
    assert_eq!(seen.verdict("http://c.test/x"), "doubtful access-refused 403", "{of_another}");
}

#[test]
fn a_loop_that_cookies_do_not_end_is_a_loop() {
    let web = Web::default()
        .on("http://a.test/", page(&["/round"]))
        .on("http://a.test/round", sets("seen", "1", "/round"));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/round"), "broken redirect-loop 302");
    assert!(seen.times_requested("http://a.test/round") <= 4);
}

/// Redirects from /1 to /2 to /3 without end, each with a cookie of its own.
fn endless(step: impl Fn(u32) -> Act) -> Web {
    let mut web = Web::default().on("http://a.test/", page(&["/0"]));
    for number in 0..500 {
        web = web.on(&format!("http://a.test/{number}"), step(number));
    }
    web
}

#[test]
fn redirects_with_new_cookies_end_at_the_limit_of_hops() {
    let on = |number: u32| sets(&format!("c{number}"), "1", &format!("/{}", number + 1));
    let new_urls = endless(on);
    // Without its cookie a hop leads back to itself.
    let cookie: Vec<&'static str> =
        (0..500).map(|number| &*Box::leak(format!("c{number}=1").into_boxed_str())).collect();
    let loops = endless(|number| {
        let next = Act::Redirect(302, format!("/{}", number + 1));
        let back = sets(&format!("c{number}"), "1", &format!("/{number}"));
        wants(cookie[number as usize], next, back)
    });
    for web in [new_urls, loops] {
        let seen = web.crawl(Settings::default());
        let verdict = seen.verdict("http://a.test/0");
        assert!(verdict.starts_with("broken redirect-l"), "{verdict}");
        assert!(seen.requests.len() < 50, "{:?}", seen.requests);
    }
    // Each page is one with the cookie of the page before it; without, it begins a chain.
    let pages = endless(|number| {
        let next = Act::Redirect(302, format!("/{}", number + 1));
        let back = sets(&format!("c{number}"), "1", &format!("/{number}"));
        let begins = wants(cookie[number as usize], next, back);
        match number.checked_sub(1) {
            Some(before) => wants(cookie[before as usize], page(&[]), begins),
            None => begins,
        }
    });
    let seen = pages.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/0"), "sound redirected 200");
    assert!(seen.requests.len() < 150, "{:?}", seen.requests);
}
