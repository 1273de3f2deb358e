//! The log of a patrol: structured, on standard error.

use std::fmt;

use jiff::tz::TimeZone;
use rummage_core::crawl::{Crawl, Event, Note, Tick};
use rummage_core::verdict::Verdict;
use rummage_engine::Observer;
use rummage_view::safe;
use tracing::level_filters::LevelFilter;
use tracing::{debug, info, warn};
use tracing_subscriber::filter::Targets;
use tracing_subscriber::fmt::format::Writer;
use tracing_subscriber::fmt::time::FormatTime;
use tracing_subscriber::prelude::*;

use crate::args::LogFormat;
use crate::clock::WallClock;
use crate::jobs::Reporter;
use crate::output::Terminal;

/// Installs the logger, once per process.
pub(crate) fn start(format: LogFormat, terminal: Terminal, clock: WallClock) {
    let level = match (terminal.quiet, terminal.verbose) {
        (true, _) => LevelFilter::WARN,
        (_, true) => LevelFilter::DEBUG,
        _ => LevelFilter::INFO,
    };
    // Log events of libraries are of no use to readers of this log.
    let ours = Targets::new().with_target("rummage", level);
    let color = terminal.colors_stderr();
    let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr).with_target(false);
    // A second call in one process has no effect.
    let _ = match format {
        LogFormat::Text => {
            let lines = lines.with_ansi(color).with_timer(Local(clock));
            tracing_subscriber::registry().with(lines.with_filter(ours)).try_init()
        }
        LogFormat::Json => {
            let lines = lines.json().flatten_event(true).with_timer(Utc(clock));
            tracing_subscriber::registry().with(lines.with_filter(ours)).try_init()
        }
    };
}

struct Local(WallClock);

impl FormatTime for Local {
    fn format_time(&self, out: &mut Writer<'_>) -> fmt::Result {
        let now = self.0.now().to_zoned(TimeZone::system());
        write!(out, "{}", now.strftime("%Y-%m-%d %H:%M:%S %Z"))
    }
}

struct Utc(WallClock);

impl FormatTime for Utc {
    fn format_time(&self, out: &mut Writer<'_>) -> fmt::Result {
        write!(out, "{:.3}", self.0.now())
    }
}

/// Logs the events of a job.
pub(super) struct Listener {
    site: String,
}

impl Listener {
    pub(super) fn new(site: String) -> Listener {
        Listener { site }
    }
}

impl Reporter for Listener {
    fn say(&mut self, text: &str) {
        info!(site = %self.site, "{text}");
    }
}

impl Observer for Listener {
    fn handle_event(&mut self, event: &Event, crawl: &Crawl) {
        match event {
            Event::Judged { id, judged } if judged.verdict == Verdict::Broken && judged.linked => {
                let cause = judged.cause.map_or("", |cause| cause.as_str());
                let target = safe(crawl.url(*id)).to_string();
                debug!(site = %self.site, cause, status = judged.status, target, "broken");
            }
            Event::Noted { id, note: Note::Blocked { .. } } => {
                let url = safe(crawl.url(*id)).to_string();
                warn!(site = %self.site, url, "the server refuses every request");
            }
            Event::Noted { note: Note::NoNames { .. }, .. } => {
                warn!(site = %self.site, "the DNS server resolves no name any more: it seems to be down");
            }
            Event::Noted { note: Note::Offline { .. }, .. } => {
                warn!(site = %self.site, "no server responds any more: the network seems to be down");
            }
            _ => {}
        }
    }

    fn handle_tick(&mut self, _: &Tick<'_>) {}
}
