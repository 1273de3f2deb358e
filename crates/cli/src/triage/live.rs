//! Passes the progress of a crawl on to the view.

use std::sync::mpsc::Sender;
use std::time::{Duration, Instant};

use rummage_core::crawl::{Crawl, Event, Progress, Tick};
use rummage_engine::Observer;
use rummage_triage::{LiveCrawl, Msg};
use rummage_view::progress::brief;

use crate::jobs::Reporter;

/// Time between two messages.
const EVERY: Duration = Duration::from_secs(1);

/// Reports a crawl to the view.
pub(crate) struct LiveReporter {
    news: Sender<Msg>,
    next: Instant,
    last: Progress,
}

impl LiveReporter {
    pub(crate) fn new(news: Sender<Msg>) -> LiveReporter {
        LiveReporter { news, next: Instant::now(), last: Progress::default() }
    }

    /// The crawl has ended: how, in words.
    pub(crate) fn finish(&self, how: &str) {
        self.send(how.to_owned(), true);
    }

    fn send(&self, progress: String, has_ended: bool) {
        // The view may be closed already.
        let _ = self.news.send(Msg::Live(LiveCrawl { progress, done: self.last.done, has_ended }));
    }
}

impl Observer for LiveReporter {
    fn handle_event(&mut self, _event: &Event, _crawl: &Crawl) {}

    fn handle_tick(&mut self, tick: &Tick<'_>) {
        self.last = tick.progress;
        let now = Instant::now();
        if now >= self.next {
            self.next = now + EVERY;
            self.send(brief(tick.progress), false);
        }
    }
}

impl Reporter for LiveReporter {
    fn say(&mut self, text: &str) {
        let _ = self.news.send(Msg::Note(text.to_owned()));
    }
}
