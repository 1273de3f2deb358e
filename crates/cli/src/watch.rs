//! What is shown while a crawl runs: the first line, progress, and with `-v` every request.

use std::io::Write;
use std::time::Instant;

use rummage_core::crawl::{Crawl, Event, FragmentFault, Note, Tick};
use rummage_core::url::reference::path_of;
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::{Cause, Verdict};
use rummage_engine::Observer;
use rummage_store::LastRun;
use rummage_view::progress::{Lines, Live, broken_link};
use rummage_view::{cause, duration, outcome, safe};

use crate::jobs::Reporter;
use crate::output;
use crate::output::Terminal;

/// Reports a crawl on standard error.
pub(crate) struct ProgressReporter {
    out: Box<dyn Write>,
    shape: Shape,
    verbose: bool,
    given_start: String,
    last: Option<LastRun>,
    /// The section of the settings file in force.
    section: Option<String>,
    /// Known once the start URL responded; reported with its title.
    bounds: Option<(Bounds, String)>,
    /// Messages to show after the first line.
    early: Vec<String>,
    /// The first line is not shown.
    headless: bool,
    /// Broken links are not shown as they turn up.
    brief: bool,
    colored: bool,
}

enum Shape {
    Quiet,
    Lines(Lines),
    Live(Box<Live>),
}

impl ProgressReporter {
    pub(crate) fn new(
        terminal: Terminal,
        given_start: String,
        last: Option<LastRun>,
    ) -> ProgressReporter {
        let size = last.map(|last| last.urls);
        let shape = if terminal.quiet {
            Shape::Quiet
        } else if output::stderr_is_drawn() {
            let columns = terminal_size::terminal_size().map_or(80, |(width, _)| width.0);
            Shape::Live(Box::new(Live::new(usize::from(columns), size, terminal.colors_stderr())))
        } else {
            Shape::Lines(Lines::starting_at(Instant::now(), size))
        };
        ProgressReporter {
            out: Box::new(terminal.stderr()),
            shape,
            verbose: terminal.verbose,
            given_start,
            last,
            section: None,
            bounds: None,
            early: Vec::new(),
            headless: false,
            brief: false,
            colored: terminal.colors_stderr(),
        }
    }

    /// The job does not cover a whole site: its bounds are not shown.
    pub(crate) fn without_head(mut self) -> ProgressReporter {
        self.headless = true;
        self
    }

    /// The job is so short that its results follow at once.
    pub(crate) fn brief(mut self) -> ProgressReporter {
        self.brief = true;
        self
    }

    /// A section of the settings file is in force.
    pub(crate) fn handle_settings(&mut self, section: &str) {
        self.section = Some(section.to_owned());
    }

    /// Removes the progress line.
    pub(crate) fn finish(&mut self) {
        if let Shape::Live(live) = &mut self.shape {
            live.finish();
        }
    }

    /// Whether broken links are shown as they turn up. Off a terminal, only the results show
    /// them.
    fn is_live(&self) -> bool {
        matches!(self.shape, Shape::Live(_)) && !self.brief
    }

    fn say_broken(&mut self, cause: &str, url: &str) {
        self.say(&broken_link(cause, url, self.colored));
    }

    /// The first line: title, bounds, and how long it took last time.
    fn say_head(&mut self, title: Option<&str>) {
        let Some((bounds, start)) = self.bounds.take() else { return };
        let mut head = String::new();
        if let Some(title) = title.filter(|title| !title.is_empty()) {
            head = format!("{}: ", safe(title));
        }
        head += &format!("all of {}", bounds.name());
        if let Some(twin) = bounds.twin() {
            head += &format!(" and {twin}");
        }
        head += ", over http and https";
        let within: Vec<&str> = bounds.within().iter().map(|prefix| prefix.as_str()).collect();
        if !within.is_empty() {
            head += &format!("; only pages within {} are parsed", within.join(", "));
        } else if path_of(&start) != "/" {
            head += "; the path of the start URL does not limit the crawl";
        }
        if let Some(section) = &self.section {
            head += &format!("; with the settings of [site.{}]", safe(section));
        }
        if let Some(last) = self.last {
            head += &format!("; took {} last time", duration(last.took));
        }
        self.say(&head);
        if !self.given_start.contains(&bounds.name()) {
            let start = safe(&start);
            self.say(&format!(
                "{} redirects to {start}, which is crawled as the site",
                self.given_start
            ));
        }
        for text in std::mem::take(&mut self.early) {
            self.say(&text);
        }
    }
}

impl Reporter for ProgressReporter {
    fn say(&mut self, text: &str) {
        // The first line comes first, even if the start page was found faulty before it.
        if self.bounds.is_some() {
            self.early.push(text.to_owned());
            return;
        }
        match &mut self.shape {
            Shape::Quiet => {}
            // A closed standard error must not end the crawl.
            Shape::Lines(_) => drop(writeln!(self.out, "{text}")),
            Shape::Live(live) => live.handle_line(text),
        }
    }
}

impl Observer for ProgressReporter {
    fn handle_event(&mut self, event: &Event, crawl: &Crawl) {
        match event {
            Event::Bounded { start, bounds } if !self.headless => {
                self.bounds = Some(((**bounds).clone(), crawl.url(*start).to_owned()));
            }
            Event::Read { reading, .. } if reading.format.is_page() => {
                self.say_head(reading.title());
            }
            Event::Judged { id, judged }
                if judged.verdict == Verdict::Broken && judged.linked && self.is_live() =>
            {
                let cause = cause(judged.cause, judged.status);
                self.say_broken(&cause, crawl.url(*id));
            }
            Event::NoAnchor { id, fragment, fault: FragmentFault::Missing } if self.is_live() => {
                let cause = format!("no anchor #{} on the page", safe(fragment));
                self.say_broken(&cause, &format!("{}#{fragment}", crawl.url(*id)));
            }
            Event::Requested { id, attempt, recalled: false, .. } if self.verbose => {
                self.say(&format!(
                    "{} {} {} ({})",
                    attempt.method.as_str(),
                    safe(attempt.hop.as_deref().unwrap_or_else(|| crawl.url(*id))),
                    outcome(&attempt.outcome),
                    duration(attempt.took),
                ));
            }
            Event::Slowed { server, slowing } if self.verbose => {
                let window = slowing.window;
                self.say(&format!(
                    "{} is slowing down: {window} concurrent requests from now on",
                    safe(server)
                ));
            }
            Event::LinkFault { target, cause: Cause::MixedContent, .. } if self.is_live() => {
                let cause = Cause::MixedContent.words();
                self.say_broken(cause, crawl.url(*target));
            }
            Event::Noted { id, note: Note::Blocked { .. } } => {
                let url = safe(crawl.url(*id));
                self.say(&format!("{url}: the server now refuses every request"));
            }
            Event::Noted { note: Note::NoNames { .. }, .. } => {
                self.say("the DNS server resolves no name any more: it seems to be down");
            }
            Event::Noted { note: Note::Offline { .. }, .. } => {
                self.say("no server responds any more: the network seems to be down");
            }
            _ => {}
        }
    }

    fn handle_tick(&mut self, tick: &Tick<'_>) {
        match &mut self.shape {
            Shape::Quiet => {}
            Shape::Lines(lines) => lines.handle_tick(&mut self.out, Instant::now(), tick),
            Shape::Live(live) => live.handle_tick(Instant::now(), tick),
        }
    }
}
