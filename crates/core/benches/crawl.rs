//! What a crawl costs apart from extraction and the network: resolving references, choosing and
//! tracking URLs, and judging them.
//!
//! The pages are those of the site that `bench/crawl.sh` crawls, extracted before the clock starts.

use std::collections::HashMap;
use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use rummage_core::Moment;
use rummage_core::crawl::{BodyUse, Crawl, Reply, Request, Response, Settings};
use rummage_core::evidence::{Attempt, AttemptOutcome, Failure, ResponseHead};
use rummage_core::extract::reading::Reading;
use rummage_core::extract::{Extractor, Format};
use rummage_core::url::reference::resolve;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{JudgeContext, Route, UrlEvidence, judge};
use rummage_demo::large_site;
use url::Url;

const HOST: &str = "http://large.test";

fn readings() -> HashMap<String, Reading> {
    let read = |(path, html): (String, String)| {
        let mut page = Extractor::new(Format::Html, Some("utf-8"), 10 << 20);
        page.feed(html.as_bytes());
        (format!("{HOST}{path}"), page.finish())
    };
    large_site(500).map(read).collect()
}

/// Every URL responds at once; what is no page is a picture.
fn reply(readings: &HashMap<String, Reading>, request: &Request, now: Moment) -> Reply {
    let path = if request.url == format!("{HOST}/") { "index.html" } else { "" };
    let reading = readings.get(&format!("{}{path}", request.url));
    let reading = reading.filter(|_| request.body == BodyUse::Page).cloned();
    let media_type = if reading.is_some() { "text/html" } else { "image/jpeg" };
    let status = if request.url.contains("robots.txt") { 404 } else { 200 };
    let head =
        ResponseHead { status, media_type: Some(media_type.to_owned()), ..ResponseHead::default() };
    let outcome = AttemptOutcome::Response(head);
    let attempt = Attempt::new(now, Duration::from_millis(1), request.method, outcome);
    Reply { id: request.id, response: Response { attempt, reading } }
}

/// Returns the number of events.
fn crawl(readings: &HashMap<String, Reading>) -> usize {
    let start = Url::parse(HOST).expect("a URL");
    let mut crawl = Crawl::new(Settings::default(), vec![start]);
    let (mut now, mut events) = (Moment::START, 0);
    while !crawl.is_finished() {
        now = now + Duration::from_millis(1);
        if let Some(request) = crawl.poll_request(now) {
            crawl.handle_reply(now, reply(readings, &request, now));
        }
        while crawl.poll_event().is_some() {
            events += 1;
        }
    }
    events
}

fn benches(criterion: &mut Criterion) {
    let readings = readings();
    let mut group = criterion.benchmark_group("crawl");
    group.sample_size(20);
    group.throughput(Throughput::Elements(readings.len() as u64));
    group.bench_function("pages that were extracted", |bencher| {
        bencher.iter(|| black_box(crawl(black_box(&readings))));
    });
    let base = Url::parse("http://large.test/part1/page1.html").expect("a URL");
    let references: Vec<&str> = readings
        .values()
        .take(100)
        .flat_map(|page| page.links().map(|link| link.written))
        .collect();
    group.throughput(Throughput::Elements(references.len() as u64));
    group.bench_function("references to normal forms", |bencher| {
        bencher.iter(|| {
            references.iter().map(|written| resolve(&base, written)).for_each(|url| {
                black_box(url);
            })
        });
    });
    let outcomes: Vec<AttemptOutcome> = [200, 404, 410, 500, 403]
        .map(|status| AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() }))
        .into_iter()
        .chain([AttemptOutcome::Failure(Failure::Refused)])
        .collect();
    group.throughput(Throughput::Elements(outcomes.len() as u64));
    group.bench_function("verdicts", |bencher| {
        bencher.iter(|| {
            for outcome in &outcomes {
                black_box(judge(&UrlEvidence {
                    url: "http://large.test/part1/page1.html",
                    outcome: black_box(outcome),
                    route: Route::Direct,
                    scope: Scope::Internal,
                    context: JudgeContext::default(),
                }));
            }
        });
    });
    group.finish();
}

criterion_group!(crawling, benches);
criterion_main!(crawling);
