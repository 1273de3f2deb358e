//! Writes a large store through the real writer, and reports how quick that was: the store on
//! which figures are measured.
//!
//!     cargo run --release -p rummage-store --example large_store -- FILE [PAGES [LINKS [RUNS]]]
//!
//! Each page has LINKS links: two fifths of them a menu and a footer that are the same
//! everywhere, the rest with their own text. There are ten URLs per page, of which one is a page;
//! one in a hundred is broken. Further runs find everything unchanged. For comparison, it shows
//! how quickly this machine inserts plain rows.

#![allow(clippy::print_stdout, reason = "what it measured is what it is for")]

use std::error::Error;
use std::path::Path;
use std::time::{Duration, Instant};

use rummage_core::Moment;
use rummage_core::crawl::{Event, Judged, Target, UrlId};
use rummage_core::evidence::{Attempt, AttemptOutcome, Method, ResponseHead};
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::extract::reading::{LinkRecord, Reading, Region};
use rummage_core::extract::reading_builder::ReadingBuilder;
use rummage_core::url::scope::{Bounds, Scope};
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{NewRun, RunState, RunWriter};

/// URLs per page, including itself.
const URLS: usize = 10;
/// Pages between two commits.
const BATCH: usize = 200;

fn main() -> Result<(), Box<dyn Error>> {
    let mut arguments = std::env::args().skip(1);
    let path = arguments.next().ok_or("name a file")?;
    let mut number = |default: usize| arguments.next().map_or(Ok(default), |text| text.parse());
    let site = Site { pages: number(100_000)?, links: number(100)? };
    let runs = number(2)?;
    for run in 1..=runs {
        let before = size(&path);
        let (writing, finishing) = site.write(Path::new(&path))?;
        let links = site.pages * site.links;
        let rate = links as f64 / writing.as_secs_f64() / 1000.0;
        println!(
            "run {run}: {links} links, {} addresses; written in {:.1} s, {rate:.0} thousand links \
             a second; put in order in {:.1} s",
            site.pages * URLS,
            writing.as_secs_f64(),
            finishing.as_secs_f64(),
        );
        let now = size(&path);
        println!(
            "run {run}: the file has {:.1} MiB, {:.1} bytes per link",
            now as f64 / 1_048_576.0,
            now as f64 / links as f64,
        );
        if before > 0 {
            println!(
                "run {run}: it grew by {:.1} %",
                100.0 * (now - before) as f64 / before as f64
            );
        }
    }
    println!("plain rows: {:.0} thousand a second", plain_rows()? / 1000.0);
    Ok(())
}

fn size(path: &str) -> u64 {
    std::fs::metadata(path).map_or(0, |file| file.len())
}

/// How many plain rows this machine inserts per second: prepared, 10,000 per transaction.
fn plain_rows() -> Result<f64, Box<dyn Error>> {
    const ROWS: usize = 1_000_000;
    let folder = tempfile::tempdir()?;
    let db = rusqlite::Connection::open(folder.path().join("plain.db"))?;
    db.pragma_update(None, "journal_mode", "wal")?;
    db.pragma_update(None, "synchronous", "normal")?;
    db.execute_batch("CREATE TABLE link (page INTEGER, target INTEGER, text TEXT, line INTEGER)")?;
    let mut draw = Draw(1);
    let start = Instant::now();
    for batch in 0..ROWS / 10_000 {
        db.execute_batch("BEGIN")?;
        let mut insert = db.prepare_cached("INSERT INTO link VALUES (?1, ?2, ?3, ?4)")?;
        for line in 0..10_000 {
            insert.execute((batch, draw.below(1_000_000), words(&mut draw), line))?;
        }
        drop(insert);
        db.execute_batch("COMMIT")?;
    }
    Ok(ROWS as f64 / start.elapsed().as_secs_f64())
}

/// Equal seeds give equal numbers (xorshift64*).
struct Draw(u64);

impl Draw {
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_F491_4F6C_DD1D) >> 33) as usize % end
    }
}

const WORDS: [&str; 16] = [
    "lock", "water", "boat", "towpath", "gate", "winter", "ledger", "keeper", "stone", "bridge",
    "iron", "pound", "toll", "horse", "night", "wharf",
];

fn words(draw: &mut Draw) -> String {
    [draw.below(16), draw.below(16), draw.below(16)].map(|word| WORDS[word]).join(" ")
}

struct Site {
    pages: usize,
    links: usize,
}

/// The n-th URL: every tenth is a page, the others are on other hosts or are images.
fn url(number: usize) -> String {
    match (number % URLS, number / URLS) {
        (0, 0) => "https://www.large.test/".to_owned(),
        (0, page) => format!("https://www.large.test/part{}/page{page}.html", page % 50),
        (1..4, page) => format!("https://www.large.test/pictures/{page}-{number}.jpg"),
        (_, page) => format!("https://host{}.test/articles/{page}/{number}", number % 5000),
    }
}

impl Site {
    fn write(&self, path: &Path) -> Result<(Duration, Duration), Box<dyn Error>> {
        let mut writer = RunWriter::begin(path, new_run())?;
        let mut writing = Duration::ZERO;
        let mut draw = Draw(7);
        let mut discovered = 0;
        for page in 0..self.pages {
            let reading = self.page(page, &mut draw);
            let mut events = Vec::new();
            // A URL is discovered before anything leads there.
            let furthest = reading.1.iter().map(|target| target.id.index()).max();
            let end = ((page + 1) * URLS).max(furthest.unwrap_or_default() + 1);
            for number in discovered..end {
                let id = UrlId::from_index(number);
                events.push(Event::Discovered { id, url: url(number) });
                let scope = if number % URLS < 4 { Scope::Internal } else { Scope::External };
                events.push(Event::Ranked { id, scope: Some(scope) });
            }
            discovered = discovered.max(end);
            if page == 0 {
                events.push(bounded());
            }
            for number in page * URLS..(page + 1) * URLS {
                self.request(number, &mut events);
            }
            let id = UrlId::from_index(page * URLS);
            let (reading, targets) = reading;
            events.push(Event::Read { id, reading: Box::new(reading), targets, parts: Vec::new() });
            let start = Instant::now();
            for event in events {
                writer.handle_event(event)?;
            }
            if page % BATCH == 0 {
                writer.commit()?;
            }
            writing += start.elapsed();
        }
        let start = Instant::now();
        writer.commit()?;
        writing += start.elapsed();
        let start = Instant::now();
        writer.finish(RunState::Finished)?;
        drop(writer);
        Ok((writing, start.elapsed()))
    }

    /// A page links to its own URLs, to pages below it, and to random ones.
    fn page(&self, page: usize, draw: &mut Draw) -> (Reading, Vec<Target>) {
        let mut builder = ReadingBuilder::default();
        builder.set_title(&format!("Page {page} of a large site"));
        let mut targets = Vec::with_capacity(self.links);
        let shared = self.links * 2 / 5;
        for link in 0..self.links {
            let (to, text, region) = if link < shared {
                let region = if link % 2 == 0 { Region::Nav } else { Region::Footer };
                ((link + 1) * URLS, format!("Menu entry {link}"), region)
            } else {
                let own = link - shared;
                let to = match own {
                    0..URLS => page * URLS + own,
                    10..20 => ((page * 10 + own - 9) % self.pages) * URLS,
                    _ => draw.below((page + 1) * URLS),
                };
                (to, words(draw), Region::Main)
            };
            let to = to % (self.pages * URLS);
            let url = url(to);
            let written = url.trim_start_matches("https://www.large.test");
            let record = LinkRecord {
                element: Element::named("a").expect("a holds links"),
                attribute: Attribute::named("href").expect("href holds links"),
                written: builder.keep(written),
                text: Some(builder.keep(&text)),
                rel: None,
                title: None,
                region: Some(region),
                ancestor_hash: 7 + region as u32,
                scripted: false,
                line: 10 + link as u32 * 2,
                column: 9,
            };
            builder.add_link(record);
            targets.push(Target { id: UrlId::from_index(to), fragment: None });
        }
        (builder.finish(false), targets)
    }

    fn request(&self, number: usize, events: &mut Vec<Event>) {
        let id = UrlId::from_index(number);
        let is_page = number.is_multiple_of(URLS);
        let broken = number % 100 == 55;
        let answer = ResponseHead {
            status: if broken { 404 } else { 200 },
            media_type: Some(if is_page { "text/html" } else { "image/jpeg" }.to_owned()),
            length: Some(2000 + (number * 7919 % 90_000) as u64),
            server: Some("nginx".to_owned()),
            etag: is_page.then(|| format!("\"6562f{number:x}-{:x}\"", number * 31)),
            last_modified: is_page.then(|| "Mon, 23 Nov 2026 10:00:00 GMT".to_owned()),
            ..ResponseHead::default()
        };
        let at = Moment::START + Duration::from_micros(number as u64 * 240);
        let took = Duration::from_micros(300 + (number * 31 % 9000) as u64);
        let method = if is_page { Method::Get } else { Method::Head };
        let attempt = Attempt::new(at, took, method, AttemptOutcome::Response(answer));
        let attempt = Box::new(attempt);
        events.push(Event::Requested { id, attempt, title: None, again: false, recalled: false });
        let (verdict, cause, status) = match broken {
            true => (Verdict::Broken, Some(Cause::NotFound), 404),
            false => (Verdict::Sound, None, 200),
        };
        let judged = Judged::without_hops(id, verdict, cause, Some(status));
        events.push(Event::Judged { id, judged });
    }
}

fn bounded() -> Event {
    let start = url::Url::parse("https://www.large.test/").expect("a URL");
    Event::Bounded { start: UrlId::from_index(0), bounds: Box::new(Bounds::around(&start, &[])) }
}

fn new_run() -> NewRun {
    NewRun {
        started_at: jiff::Timestamp::now(),
        epoch_at: jiff::Timestamp::now(),
        ..NewRun::plain("www.large.test")
    }
}
