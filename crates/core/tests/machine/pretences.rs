//! Pages that respond well and are not what the link promises; and pages that only look so.

use std::time::Duration;

use rummage_core::crawl::{Fragments, Note, Settings};
use rummage_core::evidence::{Method, ResponseHead};

use crate::web::{Act, Seen, Web, page};

fn text(title: &str, body: &str) -> Act {
    Act::Page(format!("<title>{title}</title><h1>{title}</h1><p>{body}</p>"))
}

const SORRY: &str = "We have looked everywhere on the shelves, and there is no such thing here.";

fn crawl(web: Web) -> Seen {
    web.crawl(Settings::default())
}

#[test]
fn a_page_that_says_it_is_missing_is_doubtful() {
    let seen = crawl(
        Web::default()
            .on("http://a.test/", page(&["/lost", "/about-404", "http://b.test/gone"]))
            .on("http://a.test/lost", text("Page not found", "Sorry."))
            .on("http://a.test/about-404", text("Our Error 404 page, and how we wrote it", SORRY))
            .on("http://b.test/gone", text("b | Seite nicht gefunden", "")),
    );
    assert_eq!(seen.verdict("http://a.test/lost"), "doubtful soft-404 200");
    assert_eq!(seen.verdict("http://b.test/gone"), "doubtful soft-404 200");
    assert_eq!(seen.verdict("http://a.test/about-404"), "sound 200");
}

/// A host that sends the same page for any URL that it does not have.
fn on_with_catch_all(
    web: Web,
    host: &str,
    folder: &str,
    known: &[(&str, Act)],
    else_: &Act,
) -> Web {
    let mut web = web;
    for (path, act) in known {
        web = web.on(&format!("{host}{path}"), act.clone());
    }
    web.fallback(&format!("{host}{folder}"), else_.clone())
}

#[test]
fn a_page_like_that_of_a_nonexistent_test_url_is_doubtful() {
    let sorry = text("The museum shop", SORRY);
    let known = [
        ("/", page(&["/shop/mugs", "/shop/gone", "/shop/cards"])),
        ("/shop/mugs", text("Mugs", "Three kinds of mugs with boats on them.")),
        ("/shop/cards", text("Cards", "Cards with boats, and without.")),
    ];
    let seen = crawl(on_with_catch_all(Web::default(), "http://a.test", "/shop/", &known, &sorry));
    assert_eq!(seen.verdict("http://a.test/shop/gone"), "doubtful soft-404 200");
    assert_eq!(seen.verdict("http://a.test/shop/mugs"), "sound 200");
    assert_eq!(seen.verdict("http://a.test/shop/cards"), "sound 200");
    let test_urls = seen.started - seen.requests.len();
    assert!(test_urls <= 4, "one test URL per folder, not per page: {test_urls}");
}

#[test]
fn external_soft_404_pages_are_doubtful_in_any_order_of_responses() {
    let sorry = text("A shop", SORRY);
    for slow_home in [false, true] {
        let home = text("A shop", "Welcome to this shop of ours, come in.");
        let web =
            Web::default().on("http://a.test/", page(&["http://b.test/gone", "http://b.test/"]));
        let web = if slow_home {
            web.slow("http://b.test/", std::time::Duration::from_secs(9), home)
        } else {
            web.on("http://b.test/", home)
        };
        let seen = crawl(web.fallback("http://b.test/", sorry.clone()));
        assert_eq!(seen.verdict("http://b.test/gone"), "doubtful soft-404 200");
        assert_eq!(seen.verdict("http://b.test/"), "sound 200");
    }
}

#[test]
fn nothing_follows_if_a_host_sends_its_home_page_for_any_url() {
    let shell = text("An app", "This app needs scripts, please allow them here.");
    let seen = crawl(
        Web::default()
            .on("http://a.test/", page(&["http://b.test/room/7", "http://b.test/room/8"]))
            .fallback("http://b.test/", shell),
    );
    assert_eq!(seen.verdict("http://b.test/room/7"), "sound 200");
    assert_eq!(seen.verdict("http://b.test/room/8"), "sound 200");
}

#[test]
fn nothing_follows_if_all_pages_of_a_folder_are_alike() {
    let links: Vec<String> = (0..30).map(|n| format!("/room/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let web = Web::default()
        .on("http://a.test/", page(&list))
        .fallback("http://a.test/room/", text("A room", "With a bed, a chair and a view."));
    let seen = crawl(web);
    let sound = seen.verdicts.values().filter(|verdict| *verdict == "sound 200").count();
    assert_eq!(sound, 31, "{:#?}", seen.verdicts);
}

#[test]
fn redirects_that_end_elsewhere_are_doubtful() {
    let seen = crawl(
        Web::default()
            .on(
                "http://a.test/",
                Act::Page(
                    "<a href=/old>Old page</a><a href=/back>Home</a>
                <a href=/index.php>x</a><a href=/plans>Plans</a><a href=/my-account>Log in</a>
                <a href=http://b.test/film>Film</a>"
                        .into(),
                ),
            )
            .on("http://a.test/old", Act::Redirect(301, "/".into()))
            .on("http://a.test/back", Act::Redirect(302, "/".into()))
            .on("http://a.test/index.php", Act::Redirect(301, "/".into()))
            .on("http://a.test/plans", Act::Redirect(302, "/login?next=/plans".into()))
            .on("http://a.test/my-account", Act::Redirect(302, "/login".into()))
            .on("http://a.test/login", page(&[]))
            .on("http://a.test/login?next=/plans", page(&[]))
            .on("http://b.test/film", Act::Redirect(302, "http://consent.b.test/?to=film".into()))
            .on("http://consent.b.test/?to=film", page(&[])),
    );
    for (path, verdict) in [
        ("http://a.test/old", "doubtful redirected-home 200"),
        ("http://a.test/back", "sound redirected 200"),
        ("http://a.test/index.php", "moved moved-permanently 200"),
        ("http://a.test/plans", "doubtful redirected-login 200"),
        ("http://a.test/my-account", "sound redirected 200"),
        ("http://b.test/film", "doubtful consent-wall 200"),
    ] {
        assert_eq!(seen.verdict(path), verdict, "{path}");
    }
}

#[test]
fn a_bot_check_is_not_a_broken_link() {
    let gate = |status| Act::Says(status, "<title>Just a moment...</title>Wait.".into());
    let seen = crawl(
        Web::default()
            .on("http://a.test/", page(&["http://b.test/1", "http://c.test/2", "http://d.test/3"]))
            .on("http://b.test/1", gate(403))
            .on("http://c.test/2", gate(503))
            .on("http://d.test/3", gate(200)),
    );
    assert_eq!(seen.verdict("http://b.test/1"), "doubtful blocking 403");
    assert_eq!(seen.verdict("http://c.test/2"), "doubtful blocking 503");
    assert_eq!(seen.verdict("http://d.test/3"), "doubtful blocking 200");
}

#[test]
fn an_html_page_where_an_image_is_expected_is_a_fault_of_the_link() {
    let html = "<img src=/a.png><img src=/b.png><script src=/c.js></script><img src=/moved.png>
                <img src=/turned.png>
                <link rel=stylesheet href=/d.css><a href=/a.png>x</a><a href=/c.html>y</a>";
    let seen = crawl(
        Web::default()
            .on("http://a.test/", Act::Page(html.into()))
            .on("http://a.test/a.png", text("A page", "and no picture at all"))
            .on("http://a.test/b.png", Act::File("image/png"))
            .on("http://a.test/c.js", text("Another page", "and no script at all"))
            .on("http://a.test/d.css", text("A third page", "and no sheet at all"))
            .on("http://a.test/moved.png", Act::Redirect(302, "/c.html".into()))
            .on("http://a.test/turned.png", Act::Redirect(302, "/b.png".into()))
            .on("http://a.test/c.html", text("A page", "that was always one")),
    );
    let mut faults = seen.faults.clone();
    faults.sort();
    faults.dedup();
    assert_eq!(
        faults,
        ["a.png", "c.js", "d.css", "moved.png"]
            .map(|name| format!("wrong-type http://a.test/{name} on http://a.test/{name}"))
    );
}

/// A relative reference is insecure as well, if the base is.
#[test]
fn mixed_content_by_a_base_is_reported() {
    let html = "<base href='http://b.test/'><script src=x.js></script><a href='https://a.test/2'>";
    let web = Web::default()
        .on("https://a.test/", Act::Page(html.into()))
        .on("https://a.test/2", Act::Page(html.into()))
        .on("http://b.test/x.js", Act::File("text/javascript"));
    let seen = web.crawl_from(Settings::default(), &["https://a.test/"]);
    // On the second page, the reference is known.
    assert_eq!(
        seen.faults,
        ["https://a.test/", "https://a.test/2"]
            .map(|page| format!("mixed-content http://b.test/x.js on {page}"))
    );
}

/// What was found on one page is found on the next one as well, though its references are known.
#[test]
fn faults_of_a_reference_are_reported_on_every_page() {
    let html = "<a href='/2'>2</a><a href='{{ url }}'>x</a><a href='https://me:pw@b.test/'>b</a>";
    for host in ["http://a.test", "https://a.test"] {
        let (one, two) = (format!("{host}/"), format!("{host}/2"));
        let web = Web::default()
            .on(&one, Act::Page(html.into()))
            .on(&two, Act::Page(html.into()))
            .on("https://b.test/", page(&[]));
        let seen = web.crawl_from(Settings::default(), &[&one]);
        for page in [&one, &two] {
            let fault = format!("placeholder \"{{{{ url }}}}\" on {page}");
            assert!(seen.faults.contains(&fault), "{fault}: {:?}", seen.faults);
            let noted = (page.clone(), Note::CredentialsInUrl);
            assert!(seen.notes.contains(&noted), "{page}: {:?}", seen.notes);
        }
    }
}

#[test]
fn placeholders_and_mixed_content_are_reported() {
    let html = "<a href='#'>x</a><a href=''>y</a><a href='javascript:void(0)'>z</a>
                <a href='#' role=button>menu</a><a href='#' data-bs-toggle=tab>tab</a>
                <a href='javascript:void(0)' onclick='go()'>go</a><a href='#' data-toggle=x>t</a><a href=#top>top</a>
                <script src='http://b.test/x.js'></script><img src='http://b.test/x.png'>";
    let web = Web::default()
        .on("https://a.test/", Act::Page(html.into()))
        .on("http://b.test/x.js", Act::File("text/javascript"))
        .on("https://b.test/x.png", Act::File("image/png"));
    let seen = web.crawl_from(Settings::default(), &["https://a.test/"]);
    assert_eq!(
        seen.faults,
        [
            "placeholder \"#\" on https://a.test/",
            "placeholder \"\" on https://a.test/",
            "placeholder \"javascript:void(0)\" on https://a.test/",
            "mixed-content http://b.test/x.js on https://a.test/",
        ]
    );
    assert_eq!(seen.verdict("https://b.test/x.png"), "sound 200", "browsers use https");
    assert!(
        !seen.verdicts.contains_key("http://b.test/x.png")
            || seen.times_requested("http://b.test/x.png") == 0
    );
}

#[test]
fn upgrade_insecure_requests_is_obeyed() {
    let html = "<meta http-equiv=Content-Security-Policy content='upgrade-insecure-requests'>
                <script src='http://b.test/x.js'></script>";
    let upgrades = rummage_core::evidence::ResponseHead { upgrades: true, ..Default::default() };
    let web = Web::default()
        .on("https://a.test/", Act::ResponseHead(upgrades, Box::new(Act::Page(html.into()))))
        .on("https://b.test/x.js", Act::File("text/javascript"));
    let seen = web.crawl_from(Settings::default(), &["https://a.test/"]);
    assert_eq!(seen.faults, [""; 0]);
    assert_eq!(seen.verdict("https://b.test/x.js"), "sound 200");
}

#[test]
fn fragments_are_checked_according_to_the_settings() {
    let html =
        "<a href='#gone'></a><a href='http://b.test/#gone'></a><a href='http://b.test/#here'></a>
                <a href='http://c.test/#late'></a><a href=/tabs#one role=tab></a>";
    let web = Web::default()
        .on("http://a.test/", Act::Page(html.into()))
        .on("http://a.test/tabs", page(&[]))
        .on("http://b.test/", Act::Page("<p id=here>".into()))
        .on("http://c.test/", Act::Redirect(301, "/d".into()))
        .on("http://c.test/d", Act::Page("<p id=early>".into()));
    let missing = |fragments| {
        let mut seen = web.crawl(Settings { fragments, ..Settings::default() }).missing;
        seen.sort();
        seen
    };
    let own = ["http://a.test/#gone", "http://a.test/tabs#one (script)"];
    assert_eq!(missing(Fragments::Internal), own);
    assert_eq!(missing(Fragments::None), [""; 0]);
    let all = [own[0], own[1], "http://b.test/#gone", "http://c.test/#late"];
    assert_eq!(missing(Fragments::All), all);
}

#[test]
fn urls_that_may_change_something_are_skipped_with_credentials() {
    let web = Web::default()
        .on("http://a.test/", page(&["/logout", "/boats/7/delete", "/delegates"]))
        .on("http://a.test/logout", page(&[]))
        .on("http://a.test/boats/7/delete", page(&[]))
        .on("http://a.test/delegates", page(&[]));
    let seen = web.crawl(Settings { has_credentials: true, ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/logout"), "skipped acts");
    assert_eq!(seen.verdict("http://a.test/boats/7/delete"), "skipped acts");
    assert_eq!(seen.verdict("http://a.test/delegates"), "sound 200");
    assert_eq!(web.crawl(Settings::default()).verdict("http://a.test/logout"), "sound 200");
}

#[test]
fn a_head_that_lies_is_found_out() {
    let links: String = (0..20).map(|n| format!("<img src=/{n}.png>")).collect();
    let lies = Act::ByMethod(Box::new(Act::File("image/png")), Box::new(Act::Status(404)));
    let mut web = Web::default().on("http://a.test/", Act::Page(links));
    for n in 0..20 {
        let act = if n == 5 { lies.clone() } else { Act::File("image/png") };
        web = web.on(&format!("http://a.test/{n}.png"), act);
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/5.png"), "broken not-found 404");
    assert_eq!(seen.verdicts.values().filter(|verdict| *verdict == "sound 200").count(), 20);
}

/// Requests that are in flight when HEAD has proved itself may be repeated, and no others.
#[test]
fn head_proves_itself_once_however_many_requests_are_in_flight() {
    let links: String = (0..2000).map(|n| format!("<img src=/{n}.png>")).collect();
    let mut web = Web::default().on("http://a.test/", Act::Page(links));
    for n in 0..2000 {
        // They end in another order than they begin.
        let delay = Duration::from_millis(40 + n * 7 % 30);
        web = web.slow(&format!("http://a.test/{n}.png"), delay, Act::File("image/png"));
    }
    let seen = web.crawl(Settings { per_host: Some(64), ..Settings::default() });
    let images = seen.requests.iter().filter(|(_, _, url)| url.ends_with(".png"));
    let by_get = images.filter(|(_, method, _)| *method == Method::Get).count();
    assert!((8..=72).contains(&by_get), "{by_get}");
    assert_eq!(seen.verdicts.values().filter(|verdict| *verdict == "sound 200").count(), 2001);
}

#[test]
fn an_expected_status_is_sound_and_another_is_not() {
    use rummage_core::url::pattern::Pattern;
    let web = Web::default()
        .on("http://a.test/", page(&["/gone", "/shut", "/open"]))
        .on("http://a.test/gone", Act::Status(410))
        .on("http://a.test/shut", Act::Status(403))
        .on("http://a.test/open", page(&[]));
    let rule = |pattern: &str, status| (Pattern::new(pattern), status);
    let expected = vec![rule("/gone", 410), rule("/shut", 403), rule("/open", 404)];
    let seen = web.crawl(Settings { expected, ..Settings::default() });
    assert_eq!(seen.verdict("http://a.test/gone"), "sound 410");
    assert_eq!(seen.verdict("http://a.test/shut"), "sound 403");
    assert_eq!(seen.verdict("http://a.test/open"), "broken not-as-expected 200");
}

#[test]
fn a_page_that_stands_in_for_a_site_is_doubtful() {
    let for_sale = "<title>b.test is for sale</title><p>Make an offer";
    let nginx = "<title>Welcome to nginx!</title><h1>Welcome to nginx!</h1><p>It is installed";
    let seen = Web::default()
        .on("http://a.test/", page(&["http://b.test/old", "http://c.test/", "http://d.test/"]))
        .on("http://b.test/old", Act::Redirect(302, "http://b.test/lander".into()))
        .on("http://b.test/lander", Act::Page(for_sale.into()))
        .on("http://c.test/", Act::Page(nginx.into()))
        .on("http://d.test/", Act::Page("<title>Boats</title><p>One is for sale".into()))
        .crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/old"), "doubtful parked 200");
    assert_eq!(seen.verdict("http://c.test/"), "doubtful parked 200");
    assert_eq!(seen.verdict("http://d.test/"), "sound 200");
}

const ELSEWHERE: [&str; 2] = ["http://b.test/lost", "http://b.test/gone"];

#[test]
fn a_host_that_responds_404_even_for_its_home_page_is_doubtful() {
    let seen = crawl(Web::default().on("http://a.test/", page(&ELSEWHERE)));
    for url in ELSEWHERE {
        assert_eq!(seen.verdict(url), "doubtful blocking 404");
        assert_eq!(seen.times_requested(url), 2, "and its confirmation");
    }
    assert_eq!(seen.times_requested("http://b.test/"), 1);
    let linked = ["http://a.test/", "http://b.test/"];
    let named: usize = linked.iter().chain(&ELSEWHERE).map(|url| seen.times_requested(url)).sum();
    assert_eq!(seen.started - named, 3, "two files of a.test, and one test URL");

    let home_too = crawl(Web::default().on("http://a.test/", page(&["http://b.test/"])));
    assert_eq!(home_too.verdict("http://b.test/"), "doubtful blocking 404");
    let by_redirect = Web::default()
        .on("http://a.test/", page(&["/out"]))
        .on("http://a.test/out", Act::Redirect(302, "http://b.test/lost".to_owned()));
    assert_eq!(crawl(by_redirect).verdict("http://a.test/out"), "doubtful blocking 404");
}

#[test]
fn a_404_counts_if_its_host_serves_anything_or_distinguishes() {
    let site = || Web::default().on("http://a.test/", page(&[ELSEWHERE[0], "http://b.test/seen"]));
    let status = Act::Status;
    for (about, web) in [
        ("its home page works", site().on("http://b.test/", page(&[]))),
        ("its home page is refused", site().on("http://b.test/", status(403))),
        ("another page works", site().on("http://b.test/seen", page(&[]))),
        ("it is gone", site().on("http://b.test/", status(410))),
        (
            "a test URL is refused",
            site().fallback("http://b.test/rummage-nonexistent-", status(403)),
        ),
        ("a test URL works", site().fallback("http://b.test/rummage-nonexistent-", page(&[]))),
    ] {
        assert_eq!(crawl(web).verdict(ELSEWHERE[0]), "broken not-found 404", "{about}");
    }
    let gone = site().on(ELSEWHERE[0], status(410));
    assert_eq!(crawl(gone).verdict(ELSEWHERE[0]), "broken gone 410");
}

#[test]
fn a_home_page_that_is_not_to_be_checked_is_not_requested() {
    let html = "<a href=http://b.test/>home</a><img src=http://b.test/lost.png>";
    let check_elements = vec![rummage_core::extract::elements::Element::named("img").unwrap()];
    let web = Web::default().on("http://a.test/", Act::Page(html.to_owned()));
    let seen = web.crawl(Settings { check_elements, ..Settings::default() });
    assert_eq!(seen.verdict("http://b.test/"), "skipped excluded");
    assert_eq!(seen.verdict("http://b.test/lost.png"), "broken not-found 404");
    assert_eq!(seen.times_requested("http://b.test/"), 0);
}

/// What is no link for visitors may come from anywhere.
#[test]
fn only_a_visitor_can_land_elsewhere() {
    let script = Act::Body("text/javascript", "f()".to_owned());
    let body = "<script src=http://b.test/lib/f.js></script><a href=http://c.test/lib/f>f</a>";
    let seen = Web::default()
        .on("http://a.test/", Act::Page(body.to_owned()))
        .on("http://b.test/lib/f.js", Act::Redirect(302, "/".to_owned()))
        .on("http://b.test/", script)
        .on("http://c.test/lib/f", Act::Redirect(302, "/".to_owned()))
        .on("http://c.test/", page(&[]))
        .crawl(Settings::default());
    assert_eq!(seen.verdict("http://b.test/lib/f.js"), "sound redirected 200");
    assert_eq!(seen.verdict("http://c.test/lib/f"), "doubtful redirected-home 200");
}

#[test]
fn certificates_that_end_soon_are_noted_once_for_each_server_of_the_site() {
    let ends = |days: u64| ResponseHead {
        certificate_left: Some(Duration::from_secs(days * 86_400)),
        ..ResponseHead::default()
    };
    let shown = |days, links: &[&str]| Act::ResponseHead(ends(days), Box::new(page(links)));
    let noted = |own: u64, external: u64| {
        let seen = Web::default()
            .on("http://a.test/", shown(own, &["/one", "http://b.test/"]))
            .on("http://a.test/one", shown(own, &[]))
            .on("http://b.test/", shown(external, &[]))
            .crawl(Settings::default());
        let is_end = |note: &Note| matches!(note, Note::CertificateEnds { .. });
        seen.notes.into_iter().filter(|(_, note)| is_end(note)).map(|(url, _)| url).collect()
    };
    let none: Vec<String> = noted(21, 5);
    assert!(none.is_empty(), "{none:?}");
    let own: Vec<String> = noted(20, 5);
    assert_eq!(own, ["http://a.test/"]);
}
