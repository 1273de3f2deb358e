//! What a person sees while a crawl runs: head lines, progress, and with `-v` every request.

use std::io::Write;
use std::time::{Duration, Instant};

use rummage_core::crawl::{Crawl, Event, Note, Place, Progress};
use rummage_core::url::reference::path_of;
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::{Cause, Verdict};
use rummage_engine::Watch;
use rummage_view::progress::{Lines, Live};
use rummage_view::{duration, ending, safe};

use crate::output;
use crate::output::Terminal;
use crate::passes::Hear;

/// Tells of a crawl on standard error.
pub(crate) struct Teller {
    out: Box<dyn Write>,
    shape: Shape,
    verbose: bool,
    asked_for: String,
    last_time: Option<Duration>,
    /// The section of the settings file that holds.
    section: Option<String>,
    /// Known once the start was reached, told with its title.
    bounds: Option<(Bounds, String)>,
    /// What is to be said after that.
    early: Vec<String>,
    /// None of that is told.
    headless: bool,
    /// What is broken is not told as it turns up.
    brief: bool,
}

enum Shape {
    Quiet,
    Lines(Lines),
    Live(Box<Live>),
}

impl Teller {
    pub(crate) fn new(
        terminal: Terminal,
        asked_for: String,
        last_time: Option<Duration>,
    ) -> Teller {
        let shape = if terminal.quiet {
            Shape::Quiet
        } else if output::stderr_is_drawn() {
            let columns = terminal_size::terminal_size().map_or(80, |(width, _)| width.0);
            Shape::Live(Box::new(Live::new(usize::from(columns))))
        } else {
            Shape::Lines(Lines::starting_at(Instant::now()))
        };
        Teller {
            out: Box::new(terminal.stderr()),
            shape,
            verbose: terminal.verbose,
            asked_for,
            last_time,
            section: None,
            bounds: None,
            early: Vec::new(),
            headless: false,
            brief: false,
        }
    }

    /// The pass is not of the whole site: no line tells of its bounds.
    pub(crate) fn without_head(mut self) -> Teller {
        self.headless = true;
        self
    }

    /// The pass is so short that its results are there at once.
    pub(crate) fn brief(mut self) -> Teller {
        self.brief = true;
        self
    }

    /// A section of the settings file holds.
    pub(crate) fn handle_settings(&mut self, section: &str) {
        self.section = Some(section.to_owned());
    }

    /// Takes the progress away.
    pub(crate) fn finish(&mut self) {
        if let Shape::Live(live) = &mut self.shape {
            live.finish();
        }
    }

    /// Whether what is broken is told as it turns up: off a terminal, the results do.
    fn is_live(&self) -> bool {
        matches!(self.shape, Shape::Live(_)) && !self.brief
    }

    /// The first line: title, bounds, how long it took last time.
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
            head += &format!("; read is what lies within {}", within.join(", "));
        } else if path_of(&start) != "/" {
            head += "; the path of the start does not confine it";
        }
        if let Some(section) = &self.section {
            head += &format!("; with the settings of [site.{}]", safe(section));
        }
        if let Some(time) = self.last_time {
            head += &format!("; last time it took {}", duration(time));
        }
        self.say(&head);
        if !self.asked_for.contains(&bounds.name()) {
            let start = safe(&start);
            self.say(&format!("{} leads to {start}, which is taken as the site", self.asked_for));
        }
        for text in std::mem::take(&mut self.early) {
            self.say(&text);
        }
    }
}

impl Hear for Teller {
    fn say(&mut self, text: &str) {
        // The head comes first, even where a fault of the start page was quicker.
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

impl Watch for Teller {
    fn handle_event(&mut self, event: &Event, crawl: &Crawl) {
        match event {
            Event::Bounded { start, bounds } if !self.headless => {
                self.bounds = Some((bounds.clone(), crawl.address(*start).to_owned()));
            }
            Event::Read { reading, .. } if reading.format.is_page() => {
                self.say_head(reading.title());
            }
            Event::Judged { id, judged }
                if judged.verdict == Verdict::Broken && judged.linked && self.is_live() =>
            {
                let status = judged.status.map(|status| format!(" {status}")).unwrap_or_default();
                let cause = judged.cause.map_or("", |cause| cause.as_str());
                self.say(&format!("broken {cause}{status} {}", safe(crawl.address(*id))));
            }
            Event::NoPlace { id, fragment, place: Place::Missing } if self.is_live() => {
                let address = safe(crawl.address(*id));
                self.say(&format!("broken no-such-fragment {address}#{}", safe(fragment)));
            }
            Event::Asked { id, attempt, recalled: false, .. } if self.verbose => {
                self.say(&format!(
                    "{} {} {} ({})",
                    attempt.method.as_str(),
                    safe(attempt.hop.as_deref().unwrap_or_else(|| crawl.address(*id))),
                    ending(&attempt.ending),
                    duration(attempt.took),
                ));
            }
            Event::Slowed { server, slowing } if self.verbose => {
                let window = slowing.window;
                self.say(&format!("{} shows strain: {window} at a time from now on", safe(server)));
            }
            Event::LinkFault { target, cause, .. }
                if self.is_live() && *cause == Cause::MixedContent =>
            {
                self.say(&format!("broken {cause} {}", safe(crawl.address(*target))));
            }
            Event::Noted { id, note: Note::Blocked { .. } } => {
                let address = safe(crawl.address(*id));
                self.say(&format!("{address}: its server refuses everything by now"));
            }
            Event::Noted { note: Note::Offline { .. }, .. } => {
                self.say("nothing answers any more: the line seems to be down");
            }
            _ => {}
        }
    }

    fn handle_tick(&mut self, progress: Progress, slowest: &[(Duration, &str)]) {
        match &mut self.shape {
            Shape::Quiet => {}
            Shape::Lines(lines) => {
                lines.handle_tick(&mut self.out, Instant::now(), progress, slowest)
            }
            Shape::Live(live) => live.handle_tick(Instant::now(), progress, slowest),
        }
    }
}
