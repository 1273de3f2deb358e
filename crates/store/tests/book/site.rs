//! A crawl of pages in memory, written to a store: no network, no clock.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::{Crawl, Reply, Request, Response, Settings};
use rummage_core::evidence::{Attempt, AttemptOutcome, ResponseHead};
use rummage_core::extract::reading::Reading;
use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::{Extractor, Format};
use rummage_core::findings::selection::Selection;
use rummage_core::url::reference::path_of;
use rummage_store::{LinkRow, NewRun, Reader, RunInfo, RunState, RunWriter, StoreError};
use tempfile::TempDir;
use url::Url;

/// A folder with a store, and the pages that every host serves.
pub(crate) struct Site {
    folder: TempDir,
    /// Path to HTML; a value that begins with `>` redirects permanently, `!` is a server error.
    pub(crate) pages: BTreeMap<&'static str, String>,
    /// Parts of pages that occurred before are copied.
    pub(crate) repeats: Option<Arc<Repeats>>,
}

impl Site {
    pub(crate) fn new(pages: &[(&'static str, &str)]) -> Site {
        let pages = pages.iter().map(|&(path, html)| (path, html.to_owned())).collect();
        Site { folder: TempDir::new().unwrap(), pages, repeats: None }
    }

    pub(crate) fn path(&self) -> PathBuf {
        self.folder.path().join("store.db")
    }

    pub(crate) fn reader(&self) -> Reader {
        Reader::open(&self.path()).unwrap()
    }

    /// Crawls to the end.
    pub(crate) fn crawl(&self) -> RunInfo {
        let writer = RunWriter::begin(&self.path(), new_run()).unwrap();
        self.drive(writer, fresh(), usize::MAX);
        self.reader().last_run().unwrap()
    }

    /// Drives a crawl until this many replies have arrived, and stops it there.
    pub(crate) fn drive_and_stop(&self, mut writer: RunWriter, mut crawl: Crawl, replies: usize) {
        let mut now = Moment::START + Duration::from_secs(1);
        for _ in 0..replies {
            let request = crawl.poll_request(now).unwrap();
            now = now + Duration::from_millis(10);
            crawl.handle_reply(now, self.reply(&request, now));
            while let Some(event) = crawl.poll_event() {
                writer.handle_event(event).unwrap();
            }
        }
        writer.finish(RunState::Stopped).unwrap();
    }

    /// Drives a crawl until this many replies have arrived; finishes the run if it ends.
    pub(crate) fn drive(&self, mut writer: RunWriter, mut crawl: Crawl, replies: usize) -> usize {
        let mut now = Moment::START + Duration::from_secs(1);
        let mut count = 0;
        loop {
            while let Some(event) = crawl.poll_event() {
                writer.handle_event(event).unwrap();
            }
            if count == 0 {
                writer.handle_replayed();
            }
            writer.commit().unwrap();
            if count >= replies {
                return count;
            }
            match crawl.poll_request(now) {
                Some(request) => {
                    count += 1;
                    now = now + Duration::from_millis(10);
                    crawl.handle_reply(now, self.reply(&request, now));
                }
                None if crawl.is_finished() => {
                    while let Some(event) = crawl.poll_event() {
                        writer.handle_event(event).unwrap();
                    }
                    writer.finish(RunState::Finished).unwrap();
                    return count;
                }
                None => now = crawl.poll_timeout().unwrap_or(now).max(now),
            }
        }
    }

    fn reply(&self, request: &Request, now: Moment) -> Reply {
        let page = self.pages.get(path_of(&request.url));
        let (status, location) = match page.map(|page| page.strip_prefix('>')) {
            None => (404, None),
            Some(None) if page.is_some_and(|page| page == "!") => (500, None),
            Some(None) => (200, None),
            Some(Some(to)) => (301, Some(to.to_owned())),
        };
        let is_sheet = request.url.ends_with(".css");
        let media_type = Some(if is_sheet { "text/css" } else { "text/html" }.to_owned());
        let answer = ResponseHead { status, location, media_type, ..ResponseHead::default() };
        let format = request.body.format(&answer).filter(|_| status == 200);
        let reading =
            page.zip(format).map(|(page, format)| read_with(self.repeats.as_ref(), format, page));
        let method = rummage_core::evidence::Method::Get;
        let took = Duration::from_millis(3);
        let attempt = Attempt::new(now, took, method, AttemptOutcome::Response(answer));
        Reply { id: request.id, response: Response { attempt, reading } }
    }
}

/// The contents of a page.
pub(crate) fn read(format: Format, page: &str) -> Reading {
    read_with(None, format, page)
}

fn read_with(repeats: Option<&Arc<Repeats>>, format: Format, page: &str) -> Reading {
    let mut extractor = Extractor::with_sketch(format, Some("utf-8"), 1 << 20, true);
    if let Some(repeats) = repeats {
        extractor.set_repeats(repeats);
    }
    extractor.feed(page.as_bytes());
    extractor.finish()
}

pub(crate) fn fresh() -> Crawl {
    Crawl::new(Settings::default(), vec![Url::parse("http://a.test/").unwrap()])
}

pub(crate) fn new_run() -> NewRun {
    NewRun::plain("a.test")
}

pub(crate) fn rows(reader: &Reader, run: &RunInfo, selection: &Selection) -> Vec<LinkRow> {
    let run = reader.open_run(run.clone()).unwrap();
    let query = run.query(selection).unwrap();
    let mut rows = Vec::new();
    query
        .for_each(|found| {
            rows.push(query.row(found)?);
            Ok::<_, StoreError>(())
        })
        .unwrap();
    rows
}

/// Rows as short lines: verdict, page, source text.
pub(crate) fn lines(rows: &[LinkRow]) -> Vec<String> {
    let line = |row: &LinkRow| {
        let page = row.page.trim_start_matches("http://a.test");
        format!("{} {page} {}", row.outcome.verdict, row.written)
    };
    rows.iter().map(line).collect()
}
