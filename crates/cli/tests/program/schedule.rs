//! When URLs are due, entries for cron and systemd, and what a second crawl reuses.

use std::process::Command;

use rummage_demo::{Act, Scenario, museum};
use serde_json::Value;

use crate::harness::{Stage, without_times};
use crate::options::{page, site};

/// A site with external links: one is sound, one is broken, one fails.
fn links() -> Scenario {
    let home = "<a href=/own>o</a><a href=http://c.test/fine>f</a>\
        <a href=http://b.test/lost>l</a><a href=http://b.test/fails>x</a>";
    let mut scenario = site("a.test", &[("/", page(home)), ("/own", page(""))]);
    let paths = [("/", page("")), ("/fails", Act::status(500))];
    scenario.hosts.extend(site("b.test", &paths).hosts);
    scenario.hosts.extend(site("c.test", &[("/fine", page("fine"))]).hosts);
    scenario
}

const CRAWL: [&str; 5] = ["crawl", "http://a.test", "--timeout", "200ms", "-v"];

/// How long after its last check each URL is due, in minutes.
fn gaps(rows: &[Value]) -> Vec<(String, String, i64)> {
    let time =
        |row: &Value, key: &str| -> jiff::Timestamp { row[key].as_str().unwrap().parse().unwrap() };
    let gap = |row: &Value| time(row, "due").duration_since(time(row, "checked_at")).as_mins();
    let text = |row: &Value, key: &str| row[key].as_str().unwrap().to_owned();
    rows.iter().map(|row| (text(row, "target"), text(row, "why"), gap(row))).collect()
}

#[test]
fn a_schedule_shows_what_is_due_and_a_recheck_checks_it() {
    let stage = Stage::new(&links());
    stage.run(&CRAWL).ends(1);
    let rows = stage.run(&["schedule", "--format", "jsonl"]).ends(0).json();
    let gaps = gaps(&rows);
    let is = |at: usize, target: &str, why: &str, minutes: std::ops::RangeInclusive<i64>| {
        let (outcome, because, gap) = &gaps[at];
        assert_eq!((outcome.as_str(), because.as_str()), (target, why), "{gaps:?}");
        assert!(minutes.contains(gap), "{gaps:?}");
    };
    assert_eq!(gaps.len(), 3, "its own sound pages are requested with each crawl: {gaps:?}");
    is(0, "http://b.test/fails", "temporary", 27..=33);
    let day = 1295..=1585;
    let (fine, lost) = if gaps[1].0.ends_with("fine") { (1, 2) } else { (2, 1) };
    is(fine, "http://c.test/fine", "new", day.clone());
    is(lost, "http://b.test/lost", "wrong", day);

    let none = stage.run(&["recheck", "--due"]).ends(0);
    assert_eq!(none.err, "nothing is due; nothing was checked\n");
    let later = stage.run(&["schedule", "--as-of", "2999-01-01"]).ends(0);
    assert!(later.out.contains("3 URLs scheduled, 3 due now"), "{later}");
    // The settings determine how often.
    let toml = "[site.a]\nstart = \"http://a.test/\"\ndue-broken = \"10m\"\n";
    std::fs::write(stage.path("rummage.toml"), toml).unwrap();
    let rows = stage.run(&["schedule", "--format", "jsonl"]).ends(0).json();
    let gaps = self::gaps(&rows);
    assert_eq!((gaps[0].0.as_str(), gaps[0].1.as_str()), ("http://b.test/lost", "wrong"));
    assert!((9..=11).contains(&gaps[0].2), "{gaps:?}");
    for (as_of, what) in [("soon", "give a date such as"), ("2026-13-01", "give a date such as")] {
        let outcome = stage.run(&["schedule", "--as-of", as_of]).ends(2);
        assert!(outcome.err.contains(what), "{outcome}");
    }
}

#[test]
fn a_second_crawl_reuses_sound_urls_that_are_not_due() {
    let stage = Stage::new(&links());
    stage.run(&CRAWL).ends(1);
    let second = stage.run(&CRAWL).ends(1);
    assert!(!second.err.contains("http://c.test/fine"), "{second}");
    assert!(second.err.contains("GET http://b.test/lost 404"), "what is broken is: {second}");
    assert!(
        second.out.contains("not checked again: results of an earlier run, up to "),
        "{second}"
    );
    let row = |outcome: &crate::harness::Outcome| {
        let rows = outcome.json();
        rows.into_iter().find(|row| row["target"] == "http://c.test/fine").unwrap()
    };
    let listed = ["findings", "--all", "--format", "jsonl", "--run"];
    let one = row(&stage.run(&[listed.as_slice(), &["1"]].concat()));
    let two = row(&stage.run(&[listed.as_slice(), &["2"]].concat()));
    assert_eq!(one, two, "with the time of its check");
    let trace = stage.run(&["trace", "http://c.test/fine"]).ends(0);
    assert!(trace.out.contains("200"), "its evidence is there: {trace}");
    let words = [CRAWL.as_slice(), &["--fresh"]].concat();
    let fresh = stage.run(&words).ends(1);
    assert!(fresh.err.contains("http://c.test/fine 200"), "{fresh}");
}

#[test]
fn a_second_crawl_of_the_museum_has_the_same_results_without_external_requests() {
    let stage = Stage::new(&museum());
    let words = ["crawl", "www.ashlock-canal.test", "--timeout", "1s", "-v"];
    let found = |stage: &Stage| {
        let rows = stage.run(&["findings", "--all", "--format", "jsonl"]).ends(0).json();
        without_times(rows, &["standing"])
    };
    stage.run(&words).ends(1);
    let first = found(&stage);
    let second = stage.run(&words).ends(1);
    assert_eq!(found(&stage), first);
    assert!(second.out.contains("0 newly broken, 0 returned, 0 fixed"), "{second}");
    for sound in ["http://boats.hollin-wharf.test/", "http://trains.westshire.test/today"] {
        assert!(!second.err.contains(&format!(" {sound} ")), "{sound} in {second}");
    }
}

#[test]
fn entries_for_cron_and_systemd_are_well_formed() {
    let stage = crawled();
    let cron = stage.run(&["schedule", "--emit", "cron"]).ends(0).out;
    let line = cron.lines().find(|line| !line.starts_with('#')).unwrap();
    let (when, what) = line.split_once(" * * * * ").expect("five fields, then the command");
    let minutes: Vec<u32> = when.split(',').map(|minute| minute.parse().unwrap()).collect();
    assert!(minutes.len() == 6 && minutes.windows(2).all(|two| two[1] - two[0] == 10), "{when}");
    assert!(what.contains(" recheck --due --quiet --site a.test --store "), "{what}");
    #[cfg(unix)]
    {
        let ran = Command::new("/bin/sh").args(["-c", what]).env_clear().output().unwrap();
        assert_eq!(ran.status.code(), Some(0), "nothing is due: {ran:?}");
        assert!(ran.stdout.is_empty() && ran.stderr.is_empty(), "{ran:?}");
    }
    let units = stage.run(&["schedule", "--emit", "systemd"]).ends(0).out;
    let (service, timer) = units.split_once("# rummage-recheck.timer").expect("two units");
    assert!(service.contains("NoNewPrivileges=yes") && timer.contains("OnCalendar="), "{units}");
}

/// A site that was crawled, so that something is scheduled.
pub(crate) fn crawled() -> Stage {
    let stage = Stage::new(&links());
    stage.run(&["crawl", "http://a.test", "--timeout", "200ms", "-q"]).ends(1);
    stage
}

/// Three pages with validators.
fn dated(menu: &str, news: &str, etag: &str) -> Scenario {
    let page = |html: &str| page(&format!("{html}{menu}"));
    let home = page("<a href=/news>n</a><a href=/still#there>s</a>");
    let still = page("<p id=there>p</p><a href=/gone>g</a>").with("etag", "\"still-1\"");
    let paths = [
        ("/", home.with("etag", "\"home-1\"")),
        ("/news", page(news).with("etag", etag)),
        ("/still", still),
    ];
    site("a.test", &paths)
}

#[test]
fn unchanged_pages_are_not_sent_again_and_have_the_same_links() {
    let (one, two) = (
        Stage::new(&dated("", "<a href=/lost>l</a>", "\"news-1\"")),
        Stage::new(&dated("", "<a href=/mislaid>m</a>", "\"news-2\"")),
    );
    let store = one.path("store.db").display().to_string();
    let crawl = ["crawl", "http://a.test", "-v", "--store", &store];
    let listed = ["findings", "--all", "--format", "jsonl", "--store", &store];
    let links = |stage: &Stage| {
        let rows = stage.run(&listed).ends(0).json();
        let text = |row: &Value| format!("{} {} {}", row["page"], row["target"], row["verdict"]);
        rows.iter().map(text).collect::<Vec<String>>()
    };
    one.run(&crawl).ends(1);
    let first = links(&one);
    let second = one.run(&crawl).ends(1);
    for page in ["", "news", "still"] {
        let line = format!("GET http://a.test/{page} 200, unchanged (304)");
        assert!(second.err.contains(&line), "{line} in {second}");
    }
    assert_eq!(links(&one), first);
    let third = two.run(&crawl).ends(1);
    assert!(third.err.contains("GET http://a.test/still 200, unchanged (304)"), "{third}");
    assert!(third.err.contains("GET http://a.test/news 200 ("), "{third}");
    assert!(third.out.contains("1 newly broken, 0 returned, 1 fixed, 1 still open"), "{third}");
    // A page fetched with other headers might be different now.
    for words in [["--user-agent", "other"], ["--header", "X-Who: me"]] {
        let outcome = two.run(&[crawl.as_slice(), &words].concat()).ends(1);
        assert!(!outcome.err.contains("304"), "{outcome}");
    }
    let outcome = two.run(&[crawl.as_slice(), &["--fresh"]].concat()).ends(1);
    assert!(!outcome.err.contains("304"), "{outcome}");
    let trace = two.run(&["trace", "a.test/still", "--store", &store]).ends(0);
    assert!(trace.out.contains("http://a.test/still"), "{trace}");
}
