//! Redirects are followed one hop at a time, and every hop is a URL that is requested once.

use rummage_core::crawl::{Settings, StartProblem};

use crate::web::{Act, Web, page};

fn to(status: u16, location: &str) -> Act {
    Act::Redirect(status, location.to_owned())
}

#[test]
fn permanent_ones_are_moved_and_temporary_ones_sound() {
    let web = Web::default()
        .on("http://a.test/", page(&["/old", "/now", "/mixed", "/first", "/lost", "/new"]))
        .on("http://a.test/old", to(301, "/new"))
        .on("http://a.test/now", to(302, "/new"))
        .on("http://a.test/mixed", to(308, "/now"))
        .on("http://a.test/first", to(307, "/old"))
        .on("http://a.test/lost", to(301, "/nowhere"))
        .on("http://a.test/new", page(&[]));
    let seen = web.crawl(Settings::default());
    for (path, verdict) in [
        ("old", "moved moved-permanently 200"),
        ("now", "sound redirected 200"),
        ("mixed", "moved moved-permanently 200"),
        ("first", "sound redirected 200"),
        ("lost", "broken not-found 404"),
        ("new", "sound 200"),
    ] {
        assert_eq!(seen.verdict(&format!("http://a.test/{path}")), verdict, "{path}");
        assert!(
            path == "lost" || seen.times_requested(&format!("http://a.test/{path}")) == 1,
            "{path}"
        );
    }
}

#[test]
fn loops_endless_chains_and_bad_locations_are_broken() {
    let mut web = Web::default()
        .on("http://a.test/", page(&["/self", "/one", "/hop0", "/blank", "/bad", "/twenty0"]))
        .on("http://a.test/self", to(302, "/self"))
        .on("http://a.test/one", to(301, "/two"))
        .on("http://a.test/two", to(302, "/one"))
        .on("http://a.test/blank", to(301, " "))
        .on("http://a.test/bad", to(301, "http://[bad/"))
        .on("http://a.test/twenty20", page(&[]));
    for n in 0..40 {
        web = web.on(&format!("http://a.test/hop{n}"), to(302, &format!("/hop{}", n + 1)));
    }
    for n in 0..20 {
        web = web.on(&format!("http://a.test/twenty{n}"), to(302, &format!("/twenty{}", n + 1)));
    }
    let seen = web.crawl(Settings::default());
    for (path, verdict) in [
        ("self", "broken redirect-loop 302"),
        ("one", "broken redirect-loop 302"),
        ("hop0", "broken redirect-limit 302"),
        ("blank", "broken bad-redirect 301"),
        ("bad", "broken bad-redirect 301"),
        ("twenty0", "sound redirected 200"),
    ] {
        assert_eq!(seen.verdict(&format!("http://a.test/{path}")), verdict, "{path}");
    }
    assert_eq!(seen.times_requested("http://a.test/hop21"), 0);
}

#[test]
fn the_site_is_where_the_start_url_redirects_to() {
    let web = Web::default()
        .on("http://a.test/", to(301, "https://www.b.test/home"))
        .on("https://www.b.test/home", page(&["/in", "http://b.test/also-in", "http://a.test/out"]))
        .on("https://www.b.test/in", page(&[]))
        .on("http://b.test/also-in", page(&[]))
        .on("http://a.test/out", page(&["/never"]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/out"), "sound 200");
    let mut pages = seen.pages.clone();
    pages.sort();
    assert_eq!(
        pages,
        ["http://b.test/also-in", "https://www.b.test/home", "https://www.b.test/in"]
    );
    assert!(!seen.verdicts.contains_key("http://a.test/never"));
}

#[test]
fn the_next_start_url_is_tried_at_once_and_the_last_is_retried() {
    use rummage_core::evidence::{AttemptOutcome, Failure};
    let web = Web::default()
        .on("https://a.test/", Act::Fail(Failure::Refused))
        .on("http://a.test/", page(&[]));
    let seen = web.crawl_from(Settings::default(), &["https://a.test/", "http://a.test/"]);
    assert_eq!((seen.requests.len(), seen.pages.len()), (2, 1));
    assert_eq!(seen.crawl.start_problem(), None);

    let down = Web::default().on("http://a.test/", Act::Fail(Failure::Refused));
    let seen = down.crawl(Settings::default());
    assert_eq!(seen.requests.len(), 3);
    let outcome = AttemptOutcome::Failure(Failure::Refused);
    let problem = StartProblem::NoPage { url: "http://a.test/".into(), outcome };
    assert_eq!(seen.crawl.start_problem(), Some(&problem));
}

#[test]
fn a_start_url_that_is_not_a_page_is_a_problem_and_not_a_finding() {
    let seen = Web::default()
        .on("http://a.test/", Act::File("application/pdf"))
        .crawl(Settings::default());
    assert!(matches!(seen.crawl.start_problem(), Some(StartProblem::NotHtml { .. })));
    let seen = Web::default().on("http://a.test/", to(301, "/")).crawl(Settings::default());
    assert!(matches!(seen.crawl.start_problem(), Some(StartProblem::Redirects { .. })));
}
