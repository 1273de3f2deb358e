//! Servers that refuse everything, servers that are down, and a network that is down are
//! distinguished from broken links.

use std::time::Duration;

use rummage_core::crawl::{Crawl, Halt, Note, RobotsRule, Settings, SitemapRule};
use rummage_core::evidence::{AttemptOutcome, DnsFailure, Failure, ResponseHead, Stage};
use url::Url;

use crate::web::{Act, Seen, Web, page};

const SECOND: Duration = Duration::from_secs(1);

/// A home page and pages that each lead to the next.
fn chain_of(pages: usize) -> Web {
    let mut web = Web::default().on("http://a.test/", page(&["/p0"]));
    for n in 0..pages {
        let next = format!("/p{}", n + 1);
        web = web.slow(&format!("http://a.test/p{n}"), SECOND / 10, page(&[&next]));
    }
    web.on(&format!("http://a.test/p{pages}"), page(&[]))
}

/// A home page that leads to all the others.
fn fan_of(pages: usize) -> Web {
    let links: Vec<String> = (0..pages).map(|n| format!("/p{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        web = web.slow(&format!("http://a.test{link}"), SECOND / 5, page(&[]));
    }
    web
}

fn status(status: u16) -> AttemptOutcome {
    AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() })
}

fn count(seen: &Seen, verdict: &str) -> usize {
    seen.verdicts.values().filter(|of| of.starts_with(verdict)).count()
}

const FOR_EVER: Duration = Duration::from_secs(1_000_000);

#[test]
fn a_server_that_starts_to_refuse_everything_gets_no_more_requests() {
    for outcome in [status(403), status(429), AttemptOutcome::Failure(Failure::Reset)] {
        let seen = fan_of(200).down(SECOND, FOR_EVER, outcome.clone()).crawl(Settings::default());
        let (sound, blocked) = (count(&seen, "sound"), count(&seen, "doubtful blocking"));
        assert!(sound > 20 && blocked > 100, "{outcome:?}: {sound} sound, {blocked} blocked");
        assert_eq!(count(&seen, "broken"), 0, "{outcome:?}");
        assert_eq!(seen.crawl.halt(), Some(Halt::Blocked));
        let requested_after = seen.requests.iter().filter(|(at, ..)| at.since_start() > 2 * SECOND);
        assert!(requested_after.count() < 60, "{outcome:?}");
        let since = seen.notes.iter().find_map(|(_, note)| match note {
            Note::Blocked { since } => Some(since.since_start()),
            _ => None,
        });
        assert!(since.is_some_and(|since| (SECOND..2 * SECOND).contains(&since)), "{since:?}");
    }
}

#[test]
fn a_server_that_starts_to_hang_gets_no_more_requests() {
    let hangs = AttemptOutcome::Failure(Failure::Timeout(Stage::FirstByte));
    let seen = fan_of(200).down(SECOND, FOR_EVER, hangs).crawl(Settings::default());
    assert_eq!(count(&seen, "broken"), 0);
    assert_eq!(seen.crawl.halt(), Some(Halt::Blocked));
    assert!(seen.end.since_start() < 200 * SECOND, "{:?}", seen.end);
}

#[test]
fn deferred_urls_are_checked_when_the_run_continues() {
    let settings = Settings::default();
    let web = || fan_of(100).down(SECOND, 100 * SECOND, status(403));
    let first = web().crawl(settings.clone());
    assert_eq!(first.crawl.halt(), Some(Halt::Blocked));
    let mut crawl = Crawl::new(settings.clone(), vec![Url::parse("http://a.test/").unwrap()]);
    for (url, reply) in &first.replies {
        assert!(crawl.handle_replayed(url, reply.clone()), "{url}");
    }
    assert_eq!(crawl.halt(), Some(Halt::Blocked), "the replay comes to the same end");
    crawl.handle_resumed();
    let timeout = settings.retry.timeout;
    let second = web().drive(crawl, timeout, first.end + 200 * SECOND, usize::MAX);
    assert_eq!(second.crawl.halt(), None);
    assert!(
        second.verdicts.values().all(|verdict| verdict == "sound 200"),
        "{:#?}",
        second.verdicts
    );
    assert_eq!(second.pages.len(), 101);
}

#[test]
fn restarts_cause_no_false_alarm_with_any_time_out() {
    let outcomes = [
        AttemptOutcome::Failure(Failure::Refused),
        AttemptOutcome::Failure(Failure::Reset),
        status(502),
        status(503),
    ];
    for outcome in outcomes {
        for timeout in [SECOND / 2, SECOND, 5 * SECOND, 20 * SECOND] {
            for web in [fan_of(200), chain_of(60)] {
                let mut settings = Settings::default();
                settings.retry.timeout = timeout;
                let seen = web.down(2 * SECOND, 22 * SECOND, outcome.clone()).crawl(settings);
                let wrong: Vec<_> =
                    seen.verdicts.iter().filter(|(_, v)| *v != "sound 200").collect();
                assert!(wrong.is_empty(), "{outcome:?}, {timeout:?}: {wrong:#?}");
                assert_eq!(seen.crawl.halt(), None);
            }
        }
    }
}

#[test]
fn refused_pages_of_a_working_server_are_broken() {
    let mut web = Web::default().on("http://a.test/", page(&["/shut", "/post", "/open"]));
    web = web
        .on("http://a.test/shut", Act::Status(403))
        .on("http://a.test/post", Act::Status(405))
        .on("http://a.test/open", page(&[]));
    let seen = web.crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/shut"), "broken access-refused 403");
    assert_eq!(seen.verdict("http://a.test/post"), "broken access-refused 405");
    assert_eq!(seen.verdict("http://a.test/open"), "sound 200");
    assert_eq!(seen.crawl.halt(), None);
}

#[test]
fn a_refused_folder_is_broken_and_blocks_nothing_else() {
    let links: Vec<String> = (0..50).map(|n| format!("/shut/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        web = web.on(&format!("http://a.test{link}"), Act::Status(403));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(count(&seen, "broken access-refused 403"), 50);
    // Each is requested twice, and the home page not for each of them.
    assert!(seen.requests.len() < 2 * 50 + 30, "{}", seen.requests.len());
}

#[test]
fn an_external_server_that_refuses_three_urls_and_its_home_page_gets_no_more_requests() {
    let links: Vec<String> = (0..30).map(|n| format!("http://b.test/{n}")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in list.iter().chain(&["http://b.test/"]) {
        web = web.on(link, Act::Status(403));
    }
    let seen = web.clone().crawl(Settings::default());
    assert_eq!(count(&seen, "broken"), 0);
    let requested: Vec<&str> = seen.requests[1..].iter().map(|(.., url)| url.as_str()).collect();
    assert_eq!(requested, ["http://b.test/0", "http://b.test/1", "http://b.test/"]);
    // Those keep their own verdict, with its evidence; the rest was not requested.
    assert_eq!(count(&seen, "doubtful access-refused 403"), 2, "{:#?}", seen.verdicts);
    assert_eq!(count(&seen, "doubtful blocking"), 29, "with the home page");
    assert_eq!(seen.crawl.halt(), None, "the site itself was looked through");
    let home_is_well = web.on("http://b.test/", page(&[])).crawl(Settings::default());
    assert_eq!(count(&home_is_well, "doubtful access-refused 403"), 30);
}

#[test]
fn an_external_server_that_never_responds_is_given_up() {
    let links: Vec<String> = (0..200).map(|n| format!("http://dead.test/{n}")).collect();
    let mut list: Vec<&str> = links.iter().map(String::as_str).collect();
    list.push("/p");
    let mut web = Web::default().on("http://a.test/", page(&list)).on("http://a.test/p", page(&[]));
    for link in &links {
        web = web.on(link, Act::Hang);
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(count(&seen, "broken timeout") + count(&seen, "doubtful timeout"), 200);
    assert!(count(&seen, "broken timeout") >= 2);
    assert!(seen.end.since_start() < 200 * SECOND, "{:?}", seen.end);
}

#[test]
fn hanging_pages_of_a_working_site_are_broken_and_block_nothing() {
    let mut list: Vec<String> = (0..8).map(|n| format!("/hang{n}")).collect();
    list.extend((0..300).map(|n| format!("/p{n}")));
    let list: Vec<&str> = list.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        let act = if link.starts_with("/hang") { Act::Hang } else { page(&[]) };
        web = web.on(&format!("http://a.test{link}"), act);
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(count(&seen, "broken timeout"), 8);
    assert_eq!(count(&seen, "sound"), 301);
    let last_page = seen.pages_at.last().unwrap().since_start();
    assert!(last_page < 5 * SECOND, "{last_page:?}");
    assert!(seen.end.since_start() < last_page + 200 * SECOND, "{:?}", seen.end);
}

#[test]
fn nothing_is_broken_when_the_network_is_down() {
    let links: Vec<String> = (0..200).map(|n| format!("http://h{n}.test/")).collect();
    let mut list: Vec<&str> = links.iter().map(String::as_str).collect();
    let pages: Vec<String> = (0..60).map(|n| format!("/p{n}")).collect();
    list.extend(pages.iter().map(String::as_str));
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &links {
        web = web.slow(link, SECOND / 5, page(&[]));
    }
    for link in &pages {
        web = web.slow(&format!("http://a.test{link}"), SECOND / 5, page(&[]));
    }
    let unreachable = AttemptOutcome::Failure(Failure::Unreachable);
    let seen = web.down(SECOND / 4, FOR_EVER, unreachable).crawl(Settings::default());
    assert_eq!(seen.crawl.halt(), Some(Halt::Offline), "{:#?}", seen.verdicts);
    assert_eq!(count(&seen, "broken"), 0, "{:#?}", seen.verdicts);
    assert!(count(&seen, "doubtful offline") > 20);
    assert!(seen.notes.iter().any(|(_, note)| matches!(note, Note::Offline { .. })));
}

#[test]
fn many_dead_hosts_are_broken_when_the_network_is_up() {
    let links: Vec<String> = (0..20).map(|n| format!("http://dead{n}.test/")).collect();
    let list: Vec<&str> = links.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &list {
        web = web.on(link, Act::Fail(Failure::Unreachable));
    }
    let seen = web.crawl(Settings::default());
    assert_eq!(count(&seen, "broken unreachable"), 20, "{:#?}", seen.verdicts);
    assert_eq!(seen.crawl.halt(), None);
}

#[test]
fn a_page_that_takes_its_server_down_is_broken_in_the_end() {
    let links: Vec<String> = (0..30).map(|n| format!("/p{n}")).collect();
    let mut list: Vec<&str> = links.iter().map(String::as_str).collect();
    list.insert(3, "/deadly");
    let mut web = Web::default().on("http://a.test/", page(&list));
    for link in &links {
        web = web.slow(&format!("http://a.test{link}"), SECOND / 5, page(&[]));
    }
    let seen = web.deadly("http://a.test/deadly", 3 * SECOND).crawl(Settings::default());
    assert_eq!(seen.verdict("http://a.test/deadly"), "broken connection-reset");
    assert_eq!(count(&seen, "sound 200"), 31, "{:#?}", seen.verdicts);
    assert!(seen.times_requested("http://a.test/deadly") < 20);
}

/// 200 good hosts, and a DNS server that answers NXDOMAIN to everything after a while: nothing is
/// called broken because of it, and what it made fail is checked when the run continues.
#[test]
fn a_dns_server_that_denies_every_name_makes_nothing_broken() {
    let hosts: Vec<String> = (0..200).map(|number| format!("http://h{number}.test/")).collect();
    let links: Vec<&str> = hosts.iter().map(String::as_str).collect();
    let mut web = Web::default().on("http://a.test/", page(&links));
    for host in &hosts {
        web = web.slow(host, Duration::from_millis(300), page(&[]));
    }
    let all = web.crawl(Settings::default());
    assert!(all.verdicts.values().all(|verdict| verdict == "sound 200"));
    let seen = web.clone().nameless(Duration::from_millis(500)).crawl(Settings::default());
    let broken = seen.verdicts.values().filter(|verdict| verdict.starts_with("broken")).count();
    assert_eq!(broken, 0, "{:?}", seen.verdicts);
    assert!(seen.verdicts.values().any(|verdict| verdict == "sound 200"));
    assert_eq!(seen.crawl.halt(), Some(Halt::Offline));
    assert!(seen.notes.iter().any(|(_, note)| matches!(note, Note::NoNames { .. })));
    // As many dead hosts are broken if our DNS server is right.
    let mut dead = Web::default().on("http://a.test/", page(&links));
    for host in &hosts {
        dead = dead.on(host, Act::Fail(Failure::Dns(DnsFailure::NoSuchName)));
    }
    let seen = dead.crawl(Settings::default());
    assert_eq!(seen.crawl.progress().broken, 200);
    assert_eq!(seen.crawl.halt(), None);
}

/// Without a site that responds, no name is known to exist.
#[test]
fn failures_in_dns_do_not_count_if_no_name_of_a_list_was_ever_resolved() {
    let crawl = |hosts: usize, more: &str, outcome: DnsFailure| {
        let hosts: Vec<String> = (1..=hosts).map(|n| format!("http://dead{n}.test/")).collect();
        let list = format!("{}\n{more}", hosts.join("\n"));
        let mut web = Web::default()
            .on("file:///list.txt", Act::List(list))
            .on("http://alive.test/", page(&[]))
            .on("http://shut.test/", Act::Fail(Failure::Refused));
        for host in &hosts {
            web = web.on(host, Act::Fail(Failure::Dns(outcome.clone())));
        }
        let settings = Settings {
            lists: true,
            robots: RobotsRule::Ignore,
            sitemap: SitemapRule::Named,
            ..Settings::default()
        };
        let seen = web.crawl_from(settings, &["file:///list.txt"]);
        let noted = seen.notes.iter().find_map(|(_, note)| match note {
            Note::NothingResolved { hosts } => Some(*hosts),
            _ => None,
        });
        (seen.verdict("http://dead1.test/").to_owned(), noted, seen.crawl.halt())
    };
    for outcome in [DnsFailure::NoSuchName, DnsFailure::Silence] {
        let withheld = ("doubtful offline".to_owned(), Some(4), Some(Halt::Offline));
        assert_eq!(crawl(4, "http://203.0.113.7/", outcome.clone()), withheld);
        for (hosts, more) in [(3, ""), (4, "http://alive.test/"), (4, "http://shut.test/")] {
            let (verdict, noted, halt) = crawl(hosts, more, outcome.clone());
            assert!(verdict.starts_with("broken"), "{hosts} {more}: {verdict}");
            assert_eq!((noted, halt), (None, None));
        }
    }
}

#[test]
fn a_name_that_an_earlier_run_resolved_is_looked_up_if_no_other_is() {
    let dead: Vec<String> = (1..=4).map(|n| format!("http://dead{n}.test/")).collect();
    let list = Act::List(format!("http://alive.test/\n{}", dead.join("\n")));
    let mut web = Web::default().on("file:///list.txt", list).on("http://alive.test/", page(&[]));
    for url in &dead {
        web = web.on(url, Act::Fail(Failure::Dns(DnsFailure::NoSuchName)));
    }
    let settings = Settings {
        lists: true,
        robots: RobotsRule::Ignore,
        sitemap: SitemapRule::Named,
        ..Settings::default()
    };
    let first = web.crawl_from(settings.clone(), &["file:///list.txt"]);
    let known: Vec<_> =
        first.replies.iter().filter(|(url, _)| url == "http://alive.test/").cloned().collect();
    let again = web.clone().recalling(&known).crawl_from(settings, &["file:///list.txt"]);
    assert_eq!(again.verdict("http://dead1.test/"), "broken nxdomain");
    assert_eq!(again.crawl.halt(), None);
}
