//! robots.txt is obeyed, and what is skipped because of it is reported.

use std::time::Duration;

use rummage_core::crawl::{
    BodyUse, Externals, Note, RobotsRule, Settings, SitemapRule, StartProblem,
};
use rummage_core::evidence::Failure;
use rummage_core::extract::robots_txt::Robots;

use crate::web::{Act, Web, page};

fn rules(text: &str) -> Act {
    Act::Body("text/plain", text.to_owned())
}

fn site(robots: Act) -> Web {
    Web::default()
        .on("http://a.test/robots.txt", robots)
        .on("http://a.test/", page(&["/open/", "/closed/", "http://b.test/closed/"]))
        .on("http://a.test/open/", page(&["/closed/2"]))
        .on("http://a.test/closed/", page(&["/hidden"]))
        .on("http://a.test/closed/2", page(&["/hidden"]))
        .on("http://b.test/closed/", page(&[]))
}

#[test]
fn a_disallowed_page_is_requested_and_not_parsed() {
    let seen = site(rules("User-agent: *\nDisallow: /closed/")).crawl(Settings::default());
    assert_eq!(seen.pages[1..], ["http://a.test/", "http://a.test/open/"]);
    assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200 (not read: robots)");
    assert_eq!(seen.verdict("http://a.test/closed/2"), "sound 200 (not read: robots)");
    assert_eq!(
        seen.verdict("http://b.test/closed/"),
        "sound 200",
        "externals are checked, not parsed"
    );
    assert!(!seen.verdicts.contains_key("http://a.test/hidden"));
    let dropped = |url: &str| seen.bodies.contains(&(url.to_owned(), BodyUse::Drop));
    assert!(dropped("http://a.test/closed/"), "its body is not even read");
    assert!(!dropped("http://a.test/open/"));
}

#[test]
fn robots_txt_is_requested_before_any_page_except_the_start() {
    let seen = site(rules("")).crawl(Settings::default());
    let requested: Vec<&str> = seen.requests.iter().map(|(_, _, url)| url.as_str()).collect();
    assert_eq!(requested[..2], ["http://a.test/", "http://a.test/robots.txt"]);
    assert_eq!(seen.times_requested("http://a.test/robots.txt"), 1);
    assert_eq!(seen.verdict("http://a.test/hidden"), "broken not-found 404");
}

#[test]
fn rules_can_be_ignored_or_given() {
    let web = site(rules("User-agent: *\nDisallow: /"));
    let ignore = Settings { robots: RobotsRule::Ignore, ..Settings::default() };
    assert_eq!(web.crawl(ignore).verdict("http://a.test/closed/"), "sound 200");
    let given = Robots::parse("User-agent: rummage\nDisallow: /open/\nSitemap: /list");
    let given = Settings { robots: RobotsRule::Given(given), ..Settings::default() };
    let seen = web.clone().on("http://a.test/list", rules("http://a.test/listed")).crawl(given);
    assert_eq!(seen.verdict("http://a.test/open/"), "sound 200 (not read: robots)");
    assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/listed"), "broken not-found 404");
    assert_eq!(seen.times_requested("http://a.test/robots.txt"), 0);
}

#[test]
fn a_disallowed_or_unknown_start_url_ends_the_run() {
    let seen = site(rules("User-agent: *\nDisallow: /")).crawl(Settings::default());
    let url = "http://a.test/".to_owned();
    assert_eq!(seen.crawl.start_problem(), Some(&StartProblem::RobotsForbid { url }));
    assert_eq!(seen.pages, ["http://a.test/robots.txt"]);
    assert_eq!(seen.times_requested("http://a.test/open/"), 0);

    for failing in [Act::Status(503), Act::Hang, Act::Fail(Failure::Reset)] {
        let seen = site(failing).crawl(Settings::default());
        let url = "http://a.test/robots.txt".to_owned();
        assert_eq!(seen.times_requested(&url), 3);
        assert_eq!(seen.crawl.start_problem(), Some(&StartProblem::RobotsUnknown { url }));
    }
}

#[test]
fn a_missing_or_refused_robots_txt_allows_everything() {
    for status in [401, 403, 404, 410] {
        let seen = site(Act::Status(status)).crawl(Settings::default());
        assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200", "{status}");
        assert_eq!(seen.times_requested("http://a.test/robots.txt"), 1, "{status}");
    }
    // In a folder, no server depends on it.
    let seen = site(Act::Fail(Failure::OutOfFolder)).crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200");
    assert_eq!(seen.crawl.start_problem(), None);
}

#[test]
fn redirects_of_robots_txt_are_followed_to_other_hosts() {
    let web = site(Act::Redirect(301, "http://b.test/rules".into()))
        .on("http://b.test/rules", rules("User-agent: *\nDisallow: /closed/"));
    let noted = Settings { externals: Externals::Note, ..Settings::default() };
    for settings in [Settings::default(), noted] {
        let seen = web.crawl(settings);
        assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200 (not read: robots)");
    }
    let seen = site(Act::Redirect(302, "/robots.txt".into())).crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200", "redirected in a loop");
}

#[test]
fn each_host_of_the_site_has_its_own_rules() {
    let web = site(rules(""))
        .on("http://a.test/open/", page(&["http://www.a.test/x", "http://www.a.test/y"]))
        .on("http://www.a.test/x", page(&["/hidden"]))
        .on("http://www.a.test/robots.txt", rules("User-agent: *\nDisallow: /x"));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://www.a.test/x"), "sound 200 (not read: robots)");
    assert_eq!(seen.verdict("http://www.a.test/y"), "broken not-found 404");

    let seen = web.on("http://www.a.test/robots.txt", Act::Status(500)).crawl(Settings::default());
    let unknown = ("http://www.a.test/robots.txt".to_owned(), Note::RobotsUnknown);
    assert_eq!(seen.notes, [unknown]);
    assert_eq!(seen.verdict("http://www.a.test/x"), "sound 200 (not read: robots)");
    assert_eq!(seen.verdict("http://a.test/open/"), "sound 200");
}

#[test]
fn an_image_that_becomes_a_page_waits_for_the_rules() {
    let html = "<img src=http://www.a.test/x><a href=http://www.a.test/x>x</a>";
    let seen = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://www.a.test/x", page(&["/hidden"]))
        .on("http://www.a.test/robots.txt", rules("User-agent: *\nDisallow: /x"))
        .crawl(Settings::default());
    assert_eq!(seen.verdict("http://www.a.test/x"), "sound 200 (not read: robots)");
    assert!(!seen.verdicts.contains_key("http://www.a.test/hidden"));
}

#[test]
fn a_link_to_robots_txt_blocks_nothing() {
    let links = ["/robots.txt", "http://www.a.test/robots.txt", "http://www.a.test/y"];
    for status in [200, 404] {
        let act = if status == 200 { rules("") } else { Act::Status(404) };
        let seen = Web::default()
            .on("http://a.test/", page(&links))
            .on("http://www.a.test/y", page(&["/z"]))
            .on("http://www.a.test/robots.txt", act)
            .crawl(Settings::default());
        assert_eq!(seen.verdict("http://www.a.test/z"), "broken not-found 404", "{status}");
        let expected = if status == 200 { "sound 200" } else { "broken not-found 404" };
        assert_eq!(seen.verdict("http://www.a.test/robots.txt"), expected);
    }
}

#[test]
fn a_robots_txt_that_redirects_to_a_page_has_no_rules() {
    for to in ["/", "/open/", "http://www.a.test/", "http://b.test/"] {
        let web = site(Act::Redirect(302, to.into()))
            .on("http://www.a.test/", Act::Redirect(301, "http://a.test/".into()))
            .on("http://www.a.test/robots.txt", Act::Redirect(301, "http://www.a.test/x".into()))
            .on("http://www.a.test/x", page(&["/closed/2"]))
            .on("http://b.test/", page(&[]))
            .on("http://a.test/open/", page(&["/closed/2", "http://www.a.test/x"]));
        let seen = web.crawl(Settings::default());
        assert_eq!(seen.verdict("http://a.test/closed/"), "sound 200", "{to}");
        assert_eq!(seen.verdict("http://www.a.test/x"), "sound 200", "{to}");
    }
}

#[test]
fn a_crawl_delay_is_obeyed_up_to_two_seconds_and_reported() {
    let times = |settings| {
        let seen = site(rules("User-agent: *\nCrawl-delay: 9")).crawl(settings);
        let own = seen.requests.iter().filter(|(_, _, url)| url.contains("//a.test"));
        let moments: Vec<_> = own.map(|(moment, ..)| *moment).collect();
        let gaps = moments[2..].windows(2).map(|two| two[1].since_start() - two[0].since_start());
        (gaps.min().unwrap(), seen.notes)
    };
    let (gap, notes) = times(Settings::default());
    assert!(gap >= Duration::from_secs(2), "{gap:?}");
    let (requested, kept) = (Duration::from_secs(9), Duration::from_secs(2));
    let note = Note::CrawlDelay { requested, kept };
    assert_eq!(notes, [("http://a.test/robots.txt".to_owned(), note)]);
    let rate = Settings { interval: Some(Duration::from_millis(5)), ..Settings::default() };
    let (gap, notes) = times(rate);
    assert!(gap < Duration::from_secs(1) && notes.is_empty(), "{gap:?} {notes:?}");
}

fn list(urls: &[&str]) -> Act {
    let all: String = urls.iter().map(|to| format!("<url><loc>{to}</loc></url>")).collect();
    Act::Body("text/xml", format!("<urlset>{all}</urlset>"))
}

#[test]
fn sitemaps_lead_to_pages_that_no_link_leads_to() {
    let index = "<sitemapindex><sitemap><loc>http://a.test/1.xml</loc></sitemap></sitemapindex>";
    let web = site(rules("Sitemap: http://a.test/index.xml\nSitemap: /gone.xml"))
        .on("http://a.test/index.xml", Act::Body("text/xml", index.into()))
        .on("http://a.test/1.xml", list(&["http://a.test/alone", "http://b.test/far"]))
        .on("http://a.test/alone", page(&["/found"]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/found"), "broken not-found 404");
    assert_eq!(seen.verdict("http://b.test/far"), "broken not-found 404");
    assert_eq!(seen.verdict("http://a.test/gone.xml"), "broken not-found 404");
    assert!(seen.pages.contains(&"http://a.test/1.xml".to_owned()));

    let none = web.crawl(Settings { sitemap: SitemapRule::None, ..Settings::default() });
    assert_eq!(none.verdict("http://a.test/index.xml"), "skipped excluded");
    assert!(!none.verdicts.contains_key("http://a.test/alone"));
}

#[test]
fn the_default_sitemap_is_tried_and_not_reported_if_missing() {
    let web =
        site(Act::Status(404)).on("http://a.test/sitemap.xml", list(&["http://a.test/alone"]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/alone"), "broken not-found 404");
    let seen = site(Act::Status(404))
        .on("http://a.test/sitemap.xml", page(&["/not-a-list"]))
        .crawl(Settings::default());
    assert!(seen.notes.is_empty() && !seen.verdicts.contains_key("http://a.test/not-a-list"));
}

#[test]
fn a_given_sitemap_is_reported_if_missing() {
    let at = |path: &str| {
        let url = url::Url::parse(&format!("http://a.test{path}")).unwrap();
        Settings { sitemap: SitemapRule::At(url), ..Settings::default() }
    };
    let web = site(Act::Status(404))
        .on("http://a.test/list.xml", list(&["http://a.test/alone"]))
        .on("http://a.test/page", page(&[]));
    assert_eq!(web.crawl(at("/list.xml")).verdict("http://a.test/alone"), "broken not-found 404");
    let missing = ("http://a.test/no.xml".to_owned(), Note::SitemapMissing);
    assert_eq!(web.crawl(at("/no.xml")).notes, [missing]);
    let faulty = ("http://a.test/page".to_owned(), Note::SitemapFaulty);
    assert_eq!(web.crawl(at("/page")).notes, [faulty]);
}

#[test]
fn with_max_pages_those_of_sitemaps_come_last() {
    let web = site(rules("")).on(
        "http://a.test/sitemap.xml",
        list(&["http://a.test/alone", "http://a.test/closed/2", "http://a.test/alone/2"]),
    );
    let web = web.on("http://a.test/alone", page(&[])).on("http://a.test/alone/2", page(&[]));
    let seen = web.crawl(Settings { max_pages: Some(5), ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/closed/2"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/alone"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/alone/2"), "skipped limit");
    let seen = web.crawl(Settings { depth: Some(1), ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/alone"), "sound 200 (not read: depth)");
}
