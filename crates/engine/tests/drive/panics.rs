use std::path::Path;
use std::time::Duration;

use rummage_core::crawl::{Crawl, Event, Reply, Request, Response, RobotsRule, Settings, Tick};
use rummage_core::evidence::{Attempt, AttemptOutcome, ResponseHead};
use rummage_core::extract::Extractor;
use rummage_core::extract::reading::Format;
use rummage_engine::{
    CacheLookup, Clock, Ended, EngineError, Fetch, Fetched, InternalError, Job, Observer, crawl,
};
use rummage_store::{Memory, NewRun, Reader, RunState, RunWriter};
use tempfile::TempDir;
use tokio::sync::watch;
use url::Url;

/// Responds from memory, and panics on one page.
#[derive(Clone)]
struct Fragile {
    clock: Clock,
    /// Known pages are reported as unchanged.
    unchanged: bool,
}

impl Fetch for Fragile {
    fn fetch(&self, request: Request) -> impl Future<Output = Fetched> + Send {
        let Fragile { clock, unchanged } = self.clone();
        async move {
            let path = request.url.trim_start_matches("http://a.test");
            assert_ne!(path, "/broken", "an index is out of bounds");
            let html = match path {
                "/" => "<title>Home</title><a href=/broken>b</a><a href=/p>p</a>",
                "/p" => "<title>P</title><a href=/gone>g</a>",
                _ => "",
            };
            let is_unchanged = unchanged && request.validators.is_some();
            let status = match html {
                "" => 404,
                _ if is_unchanged => 304,
                _ => 200,
            };
            let media_type = (status == 200).then(|| "text/html".to_owned());
            let etag = Some("\"1\"".to_owned());
            let answer = ResponseHead { status, media_type, etag, ..ResponseHead::default() };
            let reading = (status == 200).then(|| {
                let mut extractor = Extractor::new(Format::Html, Some("utf-8"), 1 << 20);
                extractor.feed(html.as_bytes());
                extractor.finish()
            });
            let took = Duration::from_millis(1);
            let attempt =
                Attempt::new(clock.now(), took, request.method, AttemptOutcome::Response(answer));
            Reply { id: request.id, response: Response { attempt, reading } }.into()
        }
    }
}

struct Silent;

impl Observer for Silent {
    fn handle_event(&mut self, _: &Event, _: &Crawl) {}
    fn handle_tick(&mut self, _: &Tick<'_>) {}
}

fn drive(store: &Path, remember: Option<CacheLookup>) -> Result<Ended, EngineError> {
    let new = NewRun::plain("a.test");
    let settings = Settings { robots: RobotsRule::Ignore, ..Settings::default() };
    let clock = Clock::starting_at(Duration::ZERO);
    let (_stop, stopped) = watch::channel(false);
    let pages = || Memory::of_pages(Reader::open(store).unwrap(), 1).unwrap();
    let job = Job {
        crawl: Crawl::new(settings, vec![Url::parse("http://a.test/").unwrap()]),
        fetcher: Fragile { clock, unchanged: remember.is_some() },
        clock,
        memory: remember.is_some().then(pages),
        writer: RunWriter::begin(store, new).unwrap(),
        stop: stopped,
        recheck: None,
        remember,
        budget: None,
    };
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().unwrap();
    runtime.block_on(crawl(job, &mut Silent))
}

fn verdict(store: &Path, url: &str) -> String {
    let reader = Reader::open(store).unwrap();
    let run = reader.open_run(reader.last_run().unwrap()).unwrap();
    let (url, _) = run.find(url, 1).unwrap().remove(0);
    let outcome = run.outcome(url).unwrap().unwrap();
    format!("{} {}", outcome.verdict, outcome.cause.map_or("", |cause| cause.as_str()))
}

#[test]
fn a_page_that_causes_a_panic_is_named_and_the_run_continues() {
    let folder = TempDir::new().unwrap();
    let store = folder.path().join("store.db");
    let ended = drive(&store, None).unwrap();
    assert_eq!(ended.state, RunState::Finished);
    let [InternalError { url, message }] = ended.internal_errors.as_slice() else {
        panic!("one page fails: {:?}", ended.internal_errors);
    };
    assert_eq!(url, "http://a.test/broken");
    assert!(message.contains("an index is out of bounds"), "{message}");
    assert_eq!(verdict(&store, "http://a.test/broken"), "doubtful internal-error");
    assert_eq!(verdict(&store, "http://a.test/gone"), "broken not-found");
}

#[test]
fn a_panicking_thread_ends_the_run_and_results_are_kept() {
    let folder = TempDir::new().unwrap();
    let store = folder.path().join("store.db");
    drive(&store, None).unwrap();
    let panics: CacheLookup = Box::new(|| panic!("no page is what it was"));
    match drive(&store, Some(panics)) {
        Err(EngineError::Internal { message, .. }) => assert_eq!(message, "no page is what it was"),
        ended => panic!("{ended:?}"),
    }
    let reader = Reader::open(&store).unwrap();
    assert_eq!(reader.last_run().unwrap().state, RunState::Finished, "the first run");
}
