//! Crawls pages in memory through the real extractor, crawl and writer on one thread, and prints
//! what each part takes: a crawl without the network.
//!
//!     cargo run --release -p rummage-store --example pipeline -- STORE FOLDER
//!     cargo run --release -p rummage-store --example pipeline -- STORE PAGES
//!
//! FOLDER is a folder of pages; PAGES is a number of small pages with ten links each, which are
//! made as they are requested.

#![allow(clippy::print_stdout, clippy::print_stderr, reason = "an example may")]

use std::borrow::Cow;
use std::collections::HashMap;
use std::fs;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use rummage_core::Moment;
use rummage_core::crawl::{BodyUse, Crawl, Event, Reply, Request, Response, Settings};
use rummage_core::evidence::{Attempt, AttemptOutcome, ResponseHead};
use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::signs::Signs;
use rummage_core::extract::{Extractor, Format};
use rummage_store::{NewRun, RunState, RunWriter};

/// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const HOST: &str = "http://127.0.0.1:8000";

/// Where pages come from.
enum Pages {
    Files(HashMap<String, Vec<u8>>),
    Made(u64),
}

impl Pages {
    fn of(argument: &str) -> Pages {
        match argument.parse() {
            Ok(pages) => Pages::Made(pages),
            Err(_) => {
                let mut files = HashMap::new();
                add_files(Path::new(argument), "", &mut files);
                Pages::Files(files)
            }
        }
    }

    /// The page with this path, and whether it is HTML.
    fn get(&self, path: &str) -> Option<(Cow<'_, [u8]>, bool)> {
        match self {
            Pages::Files(files) => {
                let path = if path == "/" { "/index.html" } else { path };
                Some((files.get(path)?.into(), path.ends_with(".html")))
            }
            Pages::Made(pages) => {
                let number =
                    if path == "/" { 0 } else { path.strip_prefix("/p/")?.parse().ok()? };
                (number < *pages).then(|| (made(number, *pages).into_bytes().into(), true))
            }
        }
    }
}

fn add_files(folder: &Path, path: &str, files: &mut HashMap<String, Vec<u8>>) {
    for entry in fs::read_dir(folder).expect("the folder can be read").flatten() {
        let path = format!("{path}/{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() {
            add_files(&entry.path(), &path, files);
        } else {
            files.insert(path, fs::read(entry.path()).expect("the file can be read"));
        }
    }
}

const WORDS: [&str; 16] = [
    "boat", "lock", "gate", "towpath", "keeper", "winter", "ledger", "pound", "bridge", "reeds",
    "iron", "stone", "wharf", "horse", "toll", "pump",
];

/// Words that are the same whenever this page is made.
fn words(number: u64) -> String {
    let mut state = number.wrapping_mul(0x9e37_79b9_7f4a_7c15);
    let word = |_| {
        state = state.rotate_left(7).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        WORDS[(state >> 60) as usize]
    };
    (0..12).map(word).collect::<Vec<_>>().join(" ")
}

/// A page with ten links: three of a menu, three to new pages, four to others.
fn made(number: u64, pages: u64) -> String {
    let mut links = String::new();
    for menu in 1..=3 {
        links += &format!("<li><a href=\"/p/{menu}\">Part {menu}</a></li>\n");
    }
    for next in (3 * number + 1..=3 * number + 3).filter(|next| *next < pages) {
        links += &format!("<p><a href=\"/p/{next}\">On to page {next}</a></p>\n");
    }
    for other in 1..=4u64 {
        let to = number.wrapping_mul(0x9e37_79b9).wrapping_add(other * 0x7f4a_7c15) % pages;
        let about = words(to);
        links += &format!("<p>Some words, and <a href=\"/p/{to}\">{about}</a>.</p>\n");
    }
    links += &format!("<p>{}</p>", words(number));
    format!("<title>Page {number}</title><h1 id=\"top\">Page {number}</h1><main>{links}</main>")
}

#[derive(Default)]
struct Times {
    extraction: Duration,
    crawl: Duration,
    writing: Duration,
}

fn reply(
    pages: &Pages,
    repeats: &Arc<Repeats>,
    request: &Request,
    now: Moment,
    times: &mut Times,
) -> Reply {
    let path = request.url.strip_prefix(HOST).unwrap_or("");
    let page = pages.get(path);
    let media_type = match &page {
        Some((_, true)) => "text/html",
        Some(_) => "image/jpeg",
        None => "text/plain",
    };
    let status = if page.is_some() { 200 } else { 404 };
    let mut head =
        ResponseHead { status, media_type: Some(media_type.to_owned()), ..ResponseHead::default() };
    let mut reading = None;
    if let Some((body, true)) = page
        && request.body == BodyUse::Page
    {
        let start = Instant::now();
        let limits = rummage_core::extract::Limits::of_bytes(10 << 20);
        let mut extractor =
            Extractor::of_url(&request.url, Format::Html, None, limits, request.sketch);
        extractor.set_repeats(repeats);
        // As they arrive from a connection.
        body.chunks(16 << 10).for_each(|chunk| {
            extractor.feed(chunk);
        });
        let read = extractor.finish();
        head.signs = Signs::of(&read);
        reading = Some(read);
        times.extraction += start.elapsed();
    }
    let outcome = AttemptOutcome::Response(head);
    let attempt = Attempt::new(now, Duration::from_millis(1), request.method, outcome);
    Reply { id: request.id, response: Response { attempt, reading } }
}

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [store, pages] = arguments.as_slice() else {
        eprintln!("name a store, and a folder or a number of pages");
        std::process::exit(2);
    };
    let pages = Pages::of(pages);
    let new = NewRun::plain(HOST);
    let mut writer = RunWriter::begin(Path::new(store), new).expect("the store can be written");
    let start = url::Url::parse(HOST).expect("a URL");
    let settings = Settings { max_urls: usize::MAX, ..Settings::default() };
    let mut crawl = Crawl::new(settings, vec![start]);
    let (mut times, mut made, mut parsed, mut known) = (Times::default(), 0u64, 0u64, 0u64);
    let repeats = Arc::default();
    let began = Instant::now();
    while !crawl.is_finished() {
        let moment = |made: u64| Moment::START + Duration::from_millis(made);
        let since = Instant::now();
        let Some(request) = crawl.poll_request(moment(made)) else {
            made += 1;
            continue;
        };
        times.crawl += since.elapsed();
        made += 1;
        let reply = reply(&pages, &repeats, &request, moment(made), &mut times);
        parsed += u64::from(reply.response.reading.is_some());
        let since = Instant::now();
        crawl.handle_reply(moment(made), reply);
        let mut events = Vec::new();
        while let Some(event) = crawl.poll_event() {
            known += u64::from(matches!(event, Event::Discovered { .. }));
            events.push(event);
        }
        times.crawl += since.elapsed();
        let since = Instant::now();
        for event in events {
            writer.handle_event(event).expect("the store can be written");
        }
        if made.is_multiple_of(1000) {
            writer.commit().expect("the store can be written");
        }
        times.writing += since.elapsed();
        if made.is_multiple_of(100_000) {
            let (took, memory) = (began.elapsed(), resident());
            eprintln!("{parsed} of {known} URLs parsed in {took:.1?}, {memory} KiB");
        }
    }
    drop(crawl);
    let since = Instant::now();
    writer.finish(RunState::Finished).expect("the store can be written");
    let finishing = since.elapsed();
    let each = |time: Duration| time.as_micros() as f64 / parsed as f64;
    println!(
        "{parsed} pages in {:.2} s; microseconds a page: extraction {:.0}, crawl {:.0}, writing {:.0}, finishing {:.0}; {} KiB",
        began.elapsed().as_secs_f64(),
        each(times.extraction),
        each(times.crawl),
        each(times.writing),
        each(finishing),
        resident(),
    );
}

/// Resident memory in KiB, where the system says so.
fn resident() -> u64 {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    line.and_then(|rest| rest.split_whitespace().next()?.parse().ok()).unwrap_or_default()
}
