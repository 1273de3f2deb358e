//! Findings across several runs: new, open, fixed and returned.

use rummage_core::crawl::{Crawl, Settings};
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::verdict::Verdict;
use rummage_store::{Changes, Healing, LinkMatch, NewRun, RunState, RunWriter, compare, prune};

use crate::site::{Site, fresh, new_run, rows};

fn site() -> Site {
    Site::new(&[
        ("/", "<a href=/a>a</a><a href=/b>b</a><a href=/x>x</a>"),
        ("/a", "<a href=/y>y</a><a href=/b#p>p</a>"),
        ("/b", "<p id=p><a href=/z>z</a>"),
        ("/y", "fine"),
        ("/z", "fine"),
    ])
}

fn changes(site: &Site) -> Changes {
    let reader = site.reader();
    reader.open_run(reader.last_run().unwrap()).unwrap().changes().unwrap()
}

/// Standing and target of each finding of the last run.
fn standings(site: &Site) -> Vec<String> {
    let reader = site.reader();
    let run = reader.last_run().unwrap();
    rows(&reader, &run, &Selection::default())
        .iter()
        .map(|row| {
            let standing = row.history.map_or("none", |history| history.standing.as_str());
            format!("{standing} {}", row.full_target().trim_start_matches("http://a.test"))
        })
        .collect()
}

#[test]
fn a_finding_is_new_then_open_then_fixed_then_returned() {
    let mut site = site();
    site.crawl();
    assert_eq!(standings(&site), ["new /x"]);
    site.pages.remove("/y");
    site.crawl();
    assert_eq!(standings(&site), ["open /x", "new /y"]);
    assert_eq!(
        changes(&site),
        Changes { broke: 1, open: 1, broken_and_doubtful: 2, ..Changes::default() }
    );
    site.pages.insert("/x", "fine".to_owned());
    site.pages.insert("/a", "no link any more".to_owned());
    site.crawl();
    assert!(standings(&site).is_empty());
    assert_eq!(changes(&site), Changes { healed: 2, ..Changes::default() });
    site.pages.remove("/x");
    site.crawl();
    assert_eq!(standings(&site), ["returned /x"]);
    assert_eq!(
        changes(&site),
        Changes { returned: 1, broken_and_doubtful: 1, ..Changes::default() }
    );
    assert!(changes(&site).is_worse());
    // What is known of the second run is still known.
    let reader = site.reader();
    let second = rows(&reader, &reader.run(2).unwrap(), &Selection::default());
    assert_eq!(second[1].history.map(|history| history.standing), Some(Standing::New));
}

/// The comparison of two runs as text.
fn compared(site: &Site, one: i64, two: i64) -> Vec<String> {
    let reader = site.reader();
    let selection = Selection::of(&[Verdict::Broken, Verdict::Doubtful]);
    let (one, two) = (reader.run(one).unwrap(), reader.run(two).unwrap());
    let (one, two) = (reader.open_run(one).unwrap(), reader.open_run(two).unwrap());
    let (earlier, later) = (one.query(&selection).unwrap(), two.query(&selection).unwrap());
    let found = compare(&earlier, &later).unwrap();
    let mut words = Vec::new();
    let mut tell = |what: &str, query: &rummage_store::LinkQuery<'_>, some: &[LinkMatch]| {
        for found in some {
            let target = query.row(found).unwrap().url;
            words.push(format!("{what} {}", target.trim_start_matches("http://a.test")));
        }
    };
    tell("broke", &later, &found.broke);
    tell("returned", &later, &found.returned);
    tell("open", &later, &found.open);
    tell("unseen", &later, &found.unseen);
    tell("not looked", &earlier, &found.not_looked);
    for (link, how) in &found.healed {
        let how = match how {
            Healing::Mended => "mended",
            Healing::TakenOut => "taken out",
            Healing::PageGone => "page gone",
        };
        tell(how, &earlier, std::slice::from_ref(link));
    }
    words.push(format!("pages +{} -{}", found.pages_new.len(), found.pages_gone.len()));
    words
}

#[test]
fn comparing_two_runs_shows_newly_broken_and_fixed_links() {
    let mut site = site();
    site.pages.remove("/y");
    site.pages.remove("/z");
    site.crawl();
    // `/x` works now, the link to `/y` is removed, the page with `/z` is gone.
    site.pages.insert("/x", "fine".to_owned());
    site.pages.insert("/a", "no link any more".to_owned());
    site.pages.remove("/b");
    site.crawl();
    let mut said = compared(&site, 1, 2);
    said.sort();
    assert_eq!(said, ["broke /b", "mended /x", "page gone /z", "pages +1 -1", "taken out /y"]);
    assert_eq!(
        changes(&site),
        Changes { broke: 1, healed: 3, broken_and_doubtful: 1, ..Changes::default() }
    );
    assert_eq!(compared(&site, 1, 1), ["open /x", "open /y", "open /z", "pages +0 -0"]);
}

#[test]
fn a_run_with_other_bounds_makes_nothing_new_or_fixed() {
    let mut site = site();
    site.pages.remove("/z");
    let crawl_with = |bounds: &str, settings| {
        let new = NewRun { bounds: bounds.to_owned(), ..new_run() };
        let writer = RunWriter::begin(&site.path(), new).unwrap();
        let start = url::Url::parse("http://a.test/").unwrap();
        site.drive(writer, Crawl::new(settings, vec![start]), usize::MAX);
    };
    let shallow = Settings { depth: Some(0), ..Settings::default() };
    crawl_with("depth 0", shallow.clone());
    assert_eq!(standings(&site), ["new /x"]);
    crawl_with("all", Settings::default());
    // `/b`, which links to `/z`, was not parsed before.
    assert_eq!(standings(&site), ["open /x", "open /z"]);
    assert_eq!(
        changes(&site),
        Changes { open: 1, unseen: 1, broken_and_doubtful: 2, ..Changes::default() }
    );
    assert_eq!(compared(&site, 1, 2)[..2], ["open /x", "unseen /z"]);
    // The totals of a run count what it saw.
    crawl_with("depth 0", shallow);
    assert_eq!(changes(&site), Changes { open: 2, broken_and_doubtful: 1, ..Changes::default() });
    assert_eq!(compared(&site, 2, 3)[..2], ["open /x", "not looked /z"]);
}

#[test]
fn a_stopped_run_fixes_only_what_it_checked() {
    let mut site = site();
    site.pages.remove("/z");
    site.crawl();
    site.pages.insert("/x", "fine".to_owned());
    site.pages.insert("/z", "fine".to_owned());
    let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
    // The start and `/a` are parsed, `/b` is not.
    site.drive_and_stop(writer, fresh(), 3);
    assert_eq!(site.reader().last_run().unwrap().state, RunState::Stopped);
    assert_eq!(changes(&site).healed, 0, "no finding was rechecked");
}

#[test]
fn deleting_old_runs_leaves_the_others_unchanged() {
    let mut site = site();
    site.crawl();
    site.pages.insert("/a", "<a href=/new>n</a>".to_owned());
    site.crawl();
    site.crawl();
    let before = rows(&site.reader(), &site.reader().run(3).unwrap(), &Selection::all());
    let would = prune(&site.path(), 1, None, true).unwrap();
    assert_eq!(would.runs.iter().map(|run| run.number).collect::<Vec<_>>(), [1, 2]);
    assert_eq!(site.reader().runs().unwrap().len(), 3);
    prune(&site.path(), 1, Some("a.test"), false).unwrap();
    let reader = site.reader();
    assert_eq!(reader.runs().unwrap().len(), 1);
    let after = rows(&reader, &reader.run(3).unwrap(), &Selection::all());
    let brief = |rows: &[rummage_store::LinkRow]| -> Vec<String> {
        rows.iter().map(|row| format!("{} {} {:?}", row.page, row.written, row.text)).collect()
    };
    assert_eq!(brief(&after), brief(&before));
    let first = |rows: &[rummage_store::LinkRow]| -> Vec<_> {
        rows.iter().filter_map(|row| row.history).collect()
    };
    assert_eq!(first(&after), first(&before), "when it was found first is known still");
    let db = rusqlite::Connection::open(site.path()).unwrap();
    let open: i64 =
        db.query_row("SELECT count(*) FROM open_finding", [], |row| row.get(0)).unwrap();
    assert_eq!(open, 2, "SQL queries see them too");
    // A later run continues from there.
    site.pages.remove("/y");
    let run = site.crawl();
    assert_eq!(run.number, 4);
    assert_eq!(changes(&site).broke, 0, "nothing links to it any more");
}

#[test]
fn deleting_runs_of_one_site_leaves_the_findings_of_others() {
    let mut site = site();
    let crawl = |site: &Site, start: &str| {
        let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
        let start = url::Url::parse(start).unwrap();
        site.drive(writer, Crawl::new(Settings::default(), vec![start]), usize::MAX);
    };
    crawl(&site, "http://b.test/");
    site.pages.insert("/x", "fine".to_owned());
    crawl(&site, "http://b.test/");
    site.pages.remove("/x");
    site.crawl();
    site.pages.insert("/x", "fine".to_owned());
    site.crawl();
    site.crawl();
    let closed = |name: &str| -> i64 {
        let db = rusqlite::Connection::open(site.path()).unwrap();
        let sql = "SELECT count(*) FROM finding WHERE site = ?1 AND until_run IS NOT NULL";
        db.query_row(sql, [name], |row| row.get(0)).unwrap()
    };
    assert_eq!((closed("a.test"), closed("b.test")), (1, 1));
    prune(&site.path(), 1, Some("a.test"), false).unwrap();
    assert_eq!((closed("a.test"), closed("b.test")), (0, 1));
}
