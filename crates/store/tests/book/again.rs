//! Results of earlier runs, recalled in a later one; checks across runs; an older store.

use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;
use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use rummage_core::Moment;
use rummage_core::crawl::{Event, Judged, UrlId};
use rummage_core::evidence::{Attempt, AttemptOutcome, Method, ResponseHead};
use rummage_core::extract::Format;
use rummage_core::extract::reading::Reading;
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::findings::waiver::{Waiver, WaiverKind, Waivers};
use rummage_core::schedule::policy::LastOutcome;
use rummage_core::url::pattern::Pattern;
use rummage_core::url::scope::{Bounds, Scope};
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{Memory, NewRun, Reader, RunKind, RunState, RunWriter};
use url::Url;

use crate::site::{Site, fresh, lines, new_run, read, rows};

fn site() -> Site {
    Site::new(&[
        ("/", "<title>Home</title><a href=/a>a</a><a href=/x>x</a><a href=/moved>m</a>"),
        ("/a", "<a href=/x>again</a><a href=/y>y</a>"),
        ("/moved", ">/a"),
        ("/y", "fine"),
    ])
}

fn hours(hours: i64) -> Timestamp {
    Timestamp::UNIX_EPOCH.checked_add(SignedDuration::from_hours(hours)).unwrap()
}

/// A crawl that begins this many hours after the first.
fn crawl_at(site: &Site, at: i64) {
    let new = NewRun { started_at: hours(at), epoch_at: hours(at), ..new_run() };
    let writer = RunWriter::begin(&site.path(), new).unwrap();
    site.drive(writer, fresh(), usize::MAX);
}

#[test]
fn responses_are_recalled_with_page_and_time() {
    let site = site();
    crawl_at(&site, 0);
    let run = site.reader().last_run().unwrap();
    let but = HashSet::from(["http://a.test/y".to_owned()]);
    let epoch = hours(-24);
    let memory = Memory::of_run(site.reader(), &run, epoch, &but).unwrap();
    let replies = memory.recall("http://a.test/a").unwrap();
    let last = replies.last().unwrap();
    let written: Vec<&str> =
        last.reading.as_ref().unwrap().links().map(|link| link.written).collect();
    assert_eq!(written, ["/x", "/y"]);
    let day = Duration::from_secs(24 * 3600);
    let at = last.attempt.at.since_start();
    assert!(at > day && at < day + Duration::from_secs(10), "counted from the epoch: {at:?}");
    let missing = memory.recall("http://a.test/x").unwrap();
    assert!(missing.len() >= 2, "the first answer, and the one that confirms it");
    assert!(memory.recall("http://a.test/y").unwrap().is_empty(), "it is due");
    assert!(memory.recall("http://a.test/never").unwrap().is_empty());
    assert_eq!(memory.validators("http://a.test/a").unwrap(), None, "its server gave none");
    assert_eq!(memory.page("http://a.test/a").unwrap(), None, "no pages were requested");
    let memory = memory.with_pages(run.number).unwrap();
    let (answer, reading) = memory.page("http://a.test/").unwrap().unwrap();
    assert_eq!((answer.status, reading.title()), (200, Some("Home")));
    assert_eq!(memory.page("http://a.test/x").unwrap(), None, "what is missing is no page");
}

/// Menus are the same on each page; the rest differs in every field that a link has.
#[test]
fn a_page_is_restored_as_it_was_parsed() {
    let menu = "<nav><a href=/ title=Start>Home</a><a rel=nofollow href=http://a.test/b#x>b</a>\
                <a href='c?q=1&amp;r'>c</a><img src=/logo.png alt=Logo></nav>";
    let page = |own: &str| format!("<title>T</title><base href=/s/>{menu}<p id=x>{own}");
    let pages = [
        ("/", page("<a href=/b>b</a><a href=c>c</a>")),
        ("/b", page("<a role=button href='#x'>x</a><a href=//b.test/y>y</a>")),
        ("/s/c", page("<a href=/s/c>here</a><a href='/b'> </a><a href=/d>d</a><a href=/e>e</a>")),
        ("/d", page("<a href=/d>here</a>")),
        ("/e", page("<a href=/e>here</a>\n\n") + &menu.replace("><", ">\n  <")),
    ];
    let mut with_parts = 0;
    let site = Site::new(&pages.each_ref().map(|(path, html)| (*path, html.as_str())));
    let run = site.crawl();
    let memory = Memory::of_pages(site.reader(), run.number).unwrap();
    for (path, html) in &pages {
        let (_, restored) = memory.page(&format!("http://a.test{path}")).unwrap().expect(path);
        let parsed = read(Format::Html, html);
        assert_eq!(restored.links().collect::<Vec<_>>(), parsed.links().collect::<Vec<_>>());
        let known = |it: &Reading| (it.title().map(str::to_owned), it.sketch, it.hash());
        assert_eq!(known(&restored), known(&parsed), "{path}");
        assert_eq!((restored.base(), restored.anchors()), (parsed.base(), parsed.anchors()));
        with_parts += usize::from(!restored.parts().is_empty());
    }
    assert_eq!(with_parts, 2, "what occurs for the third time is one part");
}

/// The links of a menu are written once, and each page has its own lines and columns.
#[test]
fn parts_that_pages_share_are_stored_like_any_links() {
    let words = "The keeper of the lock says so. ".repeat(20);
    let menu: String =
        (1..=6).map(|n| format!("<li><a href=/p/{n} title=T{n}>{n}</a>\n")).collect();
    let page = |n: usize| {
        let above = "\n".repeat(n % 3) + &" ".repeat(n % 2);
        let own = format!("<a href=/x{n}>x</a><a href=/p/{}#lost>on</a>", n % 6 + 1);
        format!(
            "<body>{above}<a href=/above{n}>a</a><nav>{words}{menu}</nav><main>{own}</main></body>"
        )
    };
    let pages: Vec<(String, String)> = (0..=6).map(|n| (format!("/p/{n}"), page(n))).collect();
    let mut rows_of = [false, true].map(|repeats| {
        let mut site = Site::new(&[("/", &page(7))]);
        if repeats {
            site.repeats = Some(Arc::default());
        }
        for (path, html) in &pages {
            site.pages.insert(path.clone().leak(), html.clone());
        }
        let run = site.crawl();
        let spared = site.repeats.as_ref().map_or(0, |repeats| repeats.spared());
        assert_eq!(spared > 0, repeats);
        let rows = rows(&site.reader(), &run, &Selection::all());
        rows.iter().map(|row| format!("{row:?}")).collect::<Vec<_>>()
    });
    let [plain, repeating] = rows_of.each_mut().map(std::mem::take);
    assert_eq!(plain.len(), 7 * 9, "{plain:?}");
    assert_eq!(repeating, plain);
}

fn discovered(id: UrlId, url: &str) -> Event {
    Event::Discovered { id, url: url.to_owned() }
}

/// A server that was given up between HEAD and GET.
#[test]
fn a_head_that_was_not_believed_is_not_recalled() {
    let site = site();
    let mut writer = RunWriter::begin(&site.path(), new_run()).unwrap();
    let urls = ["http://a.test/believed.png", "http://a.test/given-up.png"];
    let ids = [0, 1].map(UrlId::from_index);
    let start = Url::parse(urls[0]).unwrap();
    let mut events: Vec<Event> = ids.iter().map(|id| discovered(*id, urls[id.index()])).collect();
    events.push(Event::Bounded { start: ids[0], bounds: Bounds::around(&start, &[]).into() });
    for (id, cause) in ids.into_iter().zip([None, Some(Cause::Timeout)]) {
        events.push(Event::Ranked { id, scope: Some(Scope::Internal) });
        let answer = AttemptOutcome::Response(ResponseHead { status: 200, ..Default::default() });
        let took = Duration::from_millis(3);
        let attempt = Attempt::new(Moment::START, took, Method::Head, answer).into();
        let again = cause.is_some();
        events.push(Event::Requested { id, attempt, title: None, again, recalled: false });
        let verdict = if again { Verdict::Doubtful } else { Verdict::Sound };
        let judged = Judged::without_hops(id, verdict, cause, Some(200));
        events.push(Event::Judged { id, judged });
    }
    events.into_iter().for_each(|event| writer.handle_event(event).unwrap());
    let run = writer.run().unwrap();
    writer.finish(RunState::Finished).unwrap();
    let run = site.reader().run(run).unwrap();
    let memory = Memory::of_run(site.reader(), &run, hours(0), &HashSet::new()).unwrap();
    assert_eq!(urls.map(|url| memory.recall(url).unwrap().len()), [1, 0]);
}

#[test]
fn a_run_that_recalls_everything_has_the_same_results_without_requests() {
    let site = site();
    crawl_at(&site, 0);
    let reader = site.reader();
    let base = reader.last_run().unwrap();
    let new = NewRun {
        kind: RunKind::Recheck,
        started_at: hours(48),
        epoch_at: base.epoch_at,
        ..new_run()
    };
    let mut writer = RunWriter::begin(&site.path(), new).unwrap();
    let mut crawl = fresh();
    reader
        .for_each_reply(base.number, |url, reply| {
            crawl.handle_replayed(url, reply);
            while let Some(event) = crawl.poll_event() {
                writer.handle_event(event)?;
            }
            Ok(())
        })
        .unwrap();
    crawl.handle_rechecked();
    assert_eq!(site.drive(writer, crawl, usize::MAX), 0, "nothing was requested");
    let reader = site.reader();
    let again = reader.last_run().unwrap();
    assert_eq!((again.kind, again.number), (RunKind::Recheck, 2));
    let all = Selection::all();
    let (one, two) = (rows(&reader, &base, &all), rows(&reader, &again, &all));
    assert_eq!(lines(&one), lines(&two));
    for (one, two) in one.iter().zip(&two) {
        assert_eq!(one.outcome.checked_at, two.outcome.checked_at, "{}", one.written);
    }
    let totals = reader.open_run(again.clone()).unwrap().totals().unwrap();
    assert_eq!(totals.requests.sum(), 0);
    assert!(totals.recalled > 4);
    let since = totals.recalled_since.unwrap();
    assert!(since >= hours(0) && since < hours(1), "{since}");
    let changes = reader.open_run(again).unwrap().changes().unwrap();
    assert_eq!((changes.broke, changes.healed), (0, 0));
    assert!(changes.open > 0);
}

#[test]
fn checks_are_counted_across_runs_without_recalled_ones() {
    let mut site = site();
    crawl_at(&site, 0);
    crawl_at(&site, 24);
    site.pages.insert("/x", "fine".to_owned());
    crawl_at(&site, 48);
    let reader = site.reader();
    let mut checks = BTreeMap::new();
    reader
        .for_each_check("a.test", |check, url| {
            checks.insert(url.to_owned(), *check);
        })
        .unwrap();
    let of = |path: &str| checks[&format!("http://a.test{path}")];
    let (well, mended) = (of("/y"), of("/x"));
    assert_eq!(
        (well.checked.last, well.checked.times, well.checked.is_new),
        (LastOutcome::Sound, 3, true)
    );
    assert_eq!((mended.checked.last, mended.checked.times), (LastOutcome::Sound, 1));
    assert!(!mended.checked.is_new, "it was broken before");
    assert_eq!(mended.run, 3);
    assert!(mended.checked.checked_at >= hours(48).as_second() && mended.linked && mended.is_sound);
    assert!(well.checked.since < hours(1).as_second());
    reader.for_each_check("b.test", |_, url| panic!("unexpected request: {url}")).unwrap();
}

#[test]
fn waived_targets_are_counted_separately_and_can_be_selected() {
    let site = site();
    site.crawl();
    let waiver = |pages: &str| Waiver {
        kind: WaiverKind::Leave,
        targets: std::iter::once(Pattern::new("/x")).collect(),
        hosts: Vec::new(),
        excepts: Vec::new(),
        pages: vec![Pattern::new(pages)],
        causes: Vec::new(),
        observed: Vec::new(),
        ended: false,
    };
    let read = |waivers: Vec<Waiver>| site.reader().with_waivers(Waivers(waivers));
    let counts = |reader: &Reader| {
        let run = reader.open_run(reader.last_run().unwrap()).unwrap();
        let totals = run.totals().unwrap();
        (totals.broken, totals.waived, run.changes().unwrap().broke)
    };
    assert_eq!(counts(&read(vec![])), (1, 0, 1));
    assert_eq!(counts(&read(vec![waiver("/a")])), (1, 0, 1), "one of its two links is open");
    let whole = read(vec![waiver("*")]);
    assert_eq!(counts(&whole), (0, 1, 0));
    let run = whole.last_run().unwrap();
    let some = |standings: &[Standing]| {
        let selection = Selection { standings: standings.to_vec(), ..Selection::default() };
        rows(&whole, &run, &selection)
    };
    assert_eq!(some(&[Standing::Waived]).len(), 2);
    assert!(some(&[Standing::Waived]).iter().all(|row| row.waived));
    assert_eq!(some(&[]).iter().filter(|row| row.written == "/x").count(), 0);
    assert_eq!(some(&[Standing::New, Standing::Waived]).len(), 2 + some(&[]).len());
    let all = rows(&whole, &run, &Selection::all());
    assert_eq!(all.iter().filter(|row| row.waived).count(), 2, "all means all");
}

#[test]
fn an_unchanged_response_is_marked() {
    let answer = ResponseHead { status: 200, unchanged: true, ..ResponseHead::default() };
    let text = serde_json::to_string(&AttemptOutcome::Response(answer.clone())).unwrap();
    assert!(text.contains("\"unchanged\":true"), "{text}");
    assert_eq!(
        serde_json::from_str::<AttemptOutcome>(&text).unwrap(),
        AttemptOutcome::Response(answer)
    );
    let plain = serde_json::to_string(&AttemptOutcome::Response(ResponseHead::default())).unwrap();
    assert!(!plain.contains("unchanged"), "unchanged URLs are not listed: {plain}");
}
