//! What it takes to write a crawl to a new store, and one that found everything unchanged to the
//! same store.
//!
//!     cargo bench -p rummage-engine
//!
//! It is here and not with the store, so that the store's examples are built quickly.
//!
//! The pages have a menu and a hundred links each. The crawl itself takes place before the clock
//! starts.

use std::collections::HashMap;
use std::path::Path;
use std::time::Duration;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use rummage_core::Moment;
use rummage_core::crawl::{BodyUse, Crawl, Event, Reply, Request, Response, Settings};
use rummage_core::evidence::{Attempt, AttemptOutcome, ResponseHead};
use rummage_core::extract::{Extractor, Format};
use rummage_store::{NewRun, RunState, RunWriter};
use url::Url;

const HOST: &str = "http://large.test";
const PAGES: usize = 500;

/// A page with thirty links that all pages have, and seventy of its own.
fn page(number: usize) -> (String, String) {
    let link =
        |to: usize| format!("<li><a href=\"/part{}/{to}.html\">Page {to}</a></li>\n", to % 9);
    let menu: String = (0..30).map(|entry| link(entry * 7 % PAGES)).collect();
    let text: String = (1..=70).map(|other| link((number * 31 + other * 17) % PAGES)).collect();
    let html = format!("<title>Page {number}</title><nav>{menu}</nav><main>{text}</main>");
    let path = match number {
        0 => "/".to_owned(),
        _ => format!("/part{}/{number}.html", number % 9),
    };
    (format!("{HOST}{path}"), html)
}

fn reply(pages: &HashMap<String, String>, request: &Request, now: Moment) -> Reply {
    let page = pages.get(&request.url);
    let reading = page.filter(|_| request.body == BodyUse::Page).map(|html| {
        let mut extractor = Extractor::new(Format::Html, Some("utf-8"), 10 << 20);
        extractor.feed(html.as_bytes());
        extractor.finish()
    });
    let head = ResponseHead {
        status: if page.is_some() { 200 } else { 404 },
        media_type: Some("text/html".to_owned()),
        ..ResponseHead::default()
    };
    let outcome = AttemptOutcome::Response(head);
    let attempt = Attempt::new(now, Duration::from_millis(1), request.method, outcome);
    Reply { id: request.id, response: Response { attempt, reading } }
}

/// The events of a crawl.
fn events() -> Vec<Event> {
    let pages: HashMap<String, String> = (0..PAGES).map(page).collect();
    let start = Url::parse(HOST).expect("a URL");
    let mut crawl = Crawl::new(Settings::default(), vec![start]);
    let (mut now, mut events) = (Moment::START, Vec::new());
    while !crawl.is_finished() {
        now = now + Duration::from_millis(1);
        if let Some(request) = crawl.poll_request(now) {
            crawl.handle_reply(now, reply(&pages, &request, now));
        }
        while let Some(event) = crawl.poll_event() {
            events.push(event);
        }
    }
    events
}

fn write(store: &Path, events: Vec<Event>) {
    let new = NewRun::plain(HOST);
    let mut writer = RunWriter::begin(store, new).expect("the store can be written");
    for event in events {
        writer.handle_event(event).expect("the store can be written");
    }
    writer.finish(RunState::Finished).expect("the store can be written");
}

fn benches(criterion: &mut Criterion) {
    let events = events();
    let folder = tempfile::tempdir().expect("a temporary folder");
    let store = folder.path().join("store.db");
    let mut group = criterion.benchmark_group("writing");
    group.sample_size(10);
    group.throughput(Throughput::Elements(PAGES as u64));
    group.bench_function("pages to a new store", |bencher| {
        let setup = || {
            let _ = std::fs::remove_file(&store);
            events.clone()
        };
        bencher.iter_batched(setup, |events| write(&store, events), BatchSize::PerIteration);
    });
    group.bench_function("unchanged pages", |bencher| {
        let setup = || events.clone();
        bencher.iter_batched(setup, |events| write(&store, events), BatchSize::PerIteration);
    });
    group.finish();
}

criterion_group!(writing, benches);
criterion_main!(writing);
