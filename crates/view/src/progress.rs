//! Progress of a crawl, on standard error.
//!
//! On a terminal, [`Live`] keeps one line up to date, with broken links above it as they turn up;
//! elsewhere, [`Lines`] writes a plain line every ten seconds. There is a percentage once the
//! number of known URLs has stopped growing, or if an earlier run gives the size.

use std::collections::VecDeque;
use std::fmt::Write as _;
use std::io::Write;
use std::time::{Duration, Instant};

use anstyle::Style;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use rummage_core::crawl::{Progress, Tick};
use rummage_core::verdict::Verdict;

use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::style;

/// Requests that take longer are listed.
const SLOW: Duration = Duration::from_secs(5);
/// Pauses that take longer are explained.
const LONG_PAUSE: Duration = Duration::from_secs(2);
/// Time between two plain lines.
const PLAIN_EVERY: Duration = Duration::from_secs(10);
/// The time over which the rate is measured, and after which the number of known URLs has stopped
/// growing.
const RECENT: Duration = Duration::from_secs(5);
/// Up to so many URLs per second, it is worth saying for which server everything waits.
const SLOW_RATE: u64 = 2;

/// A line that is kept up to date.
#[derive(Debug)]
pub struct Live {
    bar: ProgressBar,
    recent: Recent,
    width: usize,
    colored: bool,
}

impl Live {
    /// Draws to standard error, on a terminal with this many columns. `last_size` is the number of
    /// URLs that the last run requested.
    #[must_use]
    pub fn new(columns: usize, last_size: Option<u64>, colored: bool) -> Live {
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr_with_hz(10));
        let style = ProgressStyle::with_template("{msg}").expect("the template is fixed");
        bar.set_style(style);
        Live { bar, recent: Recent::new(last_size), width: columns.max(20), colored }
    }

    /// Shows the current progress.
    pub fn handle_tick(&mut self, now: Instant, tick: &Tick<'_>) {
        self.recent.add(now, tick.progress);
        let mut lines = vec![shorten(&line(tick.progress, &self.recent), self.width)];
        let waits = waits(tick, self.recent.per_second());
        lines.extend(waits.iter().map(|wait| shorten(wait, self.width)));
        let mut text = lines.join("\n");
        if self.colored {
            text = in_color(&text, tick.progress);
        }
        self.bar.set_message(text);
        self.bar.tick();
    }

    /// Writes a line above the progress line.
    pub fn handle_line(&mut self, text: &str) {
        self.bar.println(text);
    }

    /// Removes the progress line.
    pub fn finish(&mut self) {
        self.bar.finish_and_clear();
    }
}

/// A plain line at intervals.
#[derive(Debug)]
pub struct Lines {
    next: Instant,
    recent: Recent,
}

impl Lines {
    /// The first line comes ten seconds after `now`. `last_size` is the number of URLs that the
    /// last run requested.
    #[must_use]
    pub fn starting_at(now: Instant, last_size: Option<u64>) -> Lines {
        Lines { next: now + PLAIN_EVERY, recent: Recent::new(last_size) }
    }

    /// Writes the current progress, if it is time.
    pub fn handle_tick(&mut self, out: &mut dyn Write, now: Instant, tick: &Tick<'_>) {
        self.recent.add(now, tick.progress);
        if now < self.next {
            return;
        }
        self.next = now + PLAIN_EVERY;
        // A closed standard error must not end the crawl.
        let _ = writeln!(out, "{}", line(tick.progress, &self.recent));
        for wait in waits(tick, self.recent.per_second()) {
            let _ = writeln!(out, "  {wait}");
        }
    }
}

/// The progress of a crawl, in one line.
fn line(progress: Progress, recent: &Recent) -> String {
    let mut text = format!(
        "{} of {} known URLs done, {} in flight, {}/s, {}, {}",
        count(progress.done),
        count(progress.known),
        count(progress.in_flight),
        count(recent.per_second()),
        counted(progress.pages, "page", "pages"),
        broken(progress),
    );
    if progress.to_confirm > 0 {
        let _ = write!(text, ", {}", to_confirm(progress));
    }
    if let Some(forecast) = recent.forecast() {
        let _ = write!(text, "; {forecast}");
    }
    text
}

/// How far a crawl is, in a few words.
#[must_use]
pub fn brief(progress: Progress) -> String {
    format!("crawling: {} of {} URLs", count(progress.done), count(progress.known))
}

/// The line about a link that has turned out to be broken.
#[must_use]
pub fn broken_link(cause: &str, url: &str, colored: bool) -> String {
    let style = if colored { style::of(Verdict::Broken) } else { Style::new() };
    format!("{style}broken{style:#}  {cause}  {}", safe(url))
}

fn broken(progress: Progress) -> String {
    format!("{} broken", count(progress.broken))
}

fn to_confirm(progress: Progress) -> String {
    format!("{} to confirm", count(progress.to_confirm))
}

/// The text with the colors that results have.
fn in_color(text: &str, progress: Progress) -> String {
    let paint = |text: String, what: String, style: Style, is_some: bool| match is_some {
        true => text.replacen(&what, &format!("{style}{what}{style:#}"), 1),
        false => text,
    };
    let red = style::of(Verdict::Broken);
    let text = paint(text.to_owned(), broken(progress), red, progress.broken > 0);
    let yellow = style::of(Verdict::Doubtful);
    paint(text, to_confirm(progress), yellow, progress.to_confirm > 0)
}

/// What the crawl waits for, and how long.
fn waits(tick: &Tick<'_>, per_second: u64) -> Vec<String> {
    let mut waits: Vec<String> = tick
        .slowest
        .iter()
        .filter(|(time, _)| *time >= SLOW)
        .map(|(time, url)| format!("waiting {} for {}", duration(*time), safe(url)))
        .collect();
    let pause = tick.pause.filter(|pause| *pause >= LONG_PAUSE);
    let last = tick.last_server.filter(|_| pause.is_some() || per_second <= SLOW_RATE);
    let left = |(server, urls): (&str, u64)| {
        format!("{}, which has {} left", safe(server), counted(urls, "URL", "URLs"))
    };
    match (pause, last) {
        (Some(pause), Some(last)) => {
            waits.push(format!("next request in {}, to {}", duration(pause), left(last)));
        }
        (Some(pause), None) => waits.push(format!("next request in {}", duration(pause))),
        (None, Some(last)) if waits.is_empty() && last.1 > 1 => {
            waits.push(format!("waiting only for {}", left(last)));
        }
        (None, _) => {}
    }
    waits
}

/// The progress of the last seconds.
#[derive(Debug)]
struct Recent {
    seen: VecDeque<(Instant, u64)>,
    known: u64,
    /// Since when this many URLs have been known.
    known_since: Option<Instant>,
    last_size: Option<u64>,
}

impl Recent {
    fn new(last_size: Option<u64>) -> Recent {
        Recent { seen: VecDeque::new(), known: 0, known_since: None, last_size }
    }

    fn add(&mut self, now: Instant, progress: Progress) {
        self.seen.push_back((now, progress.done));
        while self.seen.front().is_some_and(|(at, _)| now.duration_since(*at) > RECENT) {
            self.seen.pop_front();
        }
        if self.known_since.is_none() || self.known != progress.known {
            (self.known, self.known_since) = (progress.known, Some(now));
        }
    }

    fn per_second(&self) -> u64 {
        rounded(self.rate())
    }

    /// How many URLs are done per second.
    #[expect(clippy::cast_precision_loss, reason = "a rate to read, not to calculate with")]
    fn rate(&self) -> f64 {
        let (Some((from, before)), Some((to, after))) = (self.seen.front(), self.seen.back())
        else {
            return 0.0;
        };
        let seconds = to.duration_since(*from).as_secs_f64();
        if seconds > 0.0 { after.saturating_sub(*before) as f64 / seconds } else { 0.0 }
    }

    /// How much of all is done, and how long the rest will take.
    #[expect(clippy::cast_precision_loss, reason = "an estimate")]
    fn forecast(&self) -> Option<String> {
        let (now, done) = *self.seen.back()?;
        let is_stable = now.duration_since(self.known_since?) >= RECENT;
        let (all, of) = match self.last_size {
            _ if is_stable => (self.known, String::new()),
            Some(last) => (last, format!(" of last time's {}", counted(last, "URL", "URLs"))),
            None => return None,
        };
        if done > all || done == 0 {
            return None;
        }
        let about = if is_stable { "" } else { "about " };
        let mut text = format!("{about}{} %{of}", done * 100 / all);
        let rate = self.rate();
        if rate > 0.0 && all > done {
            let left = Duration::try_from_secs_f64((all - done) as f64 / rate).ok()?;
            // Tenths of a second would be more than is known.
            let _ = match left.as_secs() {
                seconds @ ..10 => write!(text, ", {} s left", seconds.max(1)),
                seconds => write!(text, ", {} left", duration(Duration::from_secs(seconds))),
            };
        }
        Some(text)
    }
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a rate to read, not to calculate with"
)]
fn rounded(rate: f64) -> u64 {
    rate.round() as u64
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tick(progress: Progress) -> Tick<'static> {
        Tick { progress, slowest: &[], last_server: None, pause: None }
    }

    /// One second apart, with these many URLs done and known.
    fn recent(last_size: Option<u64>, seen: impl IntoIterator<Item = (u64, u64)>) -> Recent {
        let (mut recent, start) = (Recent::new(last_size), Instant::now());
        for (second, (done, known)) in (0..).zip(seen) {
            let progress = Progress { done, known, ..Progress::default() };
            recent.add(start + Duration::from_secs(second), progress);
        }
        recent
    }

    #[test]
    fn the_rate_covers_the_last_seconds() {
        let mut recent = recent(None, (0..20).map(|second| (second * 30, 900)));
        assert_eq!(recent.per_second(), 30);
        let progress = Progress { done: 600, ..Progress::default() };
        recent.add(Instant::now() + Duration::from_secs(60), progress);
        assert_eq!(recent.per_second(), 0);
    }

    #[test]
    fn a_percentage_needs_a_size() {
        let growing = |last| recent(last, (1..=8).map(|second| (second * 10, second * 50)));
        assert_eq!(growing(None).forecast(), None);
        let of_last = growing(Some(1_181)).forecast();
        assert_eq!(
            of_last.as_deref(),
            Some("about 6 % of last time's 1,181 URLs, 1 min 50 s left")
        );
        assert_eq!(growing(Some(79)).forecast(), None, "there is more than last time");
        let stable = |last| recent(last, (1..=8).map(|second| (second * 10, 400)));
        for last in [None, Some(1_181)] {
            assert_eq!(stable(last).forecast().as_deref(), Some("20 %, 32 s left"));
        }
        let stuck = recent(None, [(10, 40); 9]);
        assert_eq!(stuck.forecast().as_deref(), Some("25 %"));
        assert_eq!(recent(None, [(0, 1); 9]).forecast(), None, "nothing is done");
    }

    #[test]
    fn what_everything_waits_for_is_shown() {
        let slow = [(Duration::from_secs(6), "http://a.test/"), (Duration::from_secs(1), "b")];
        let idle = tick(Progress::default());
        let of = |tick: Tick<'_>, per_second| waits(&tick, per_second).join("; ");
        assert_eq!(of(Tick { slowest: &slow, ..idle }, 0), "waiting 6.0 s for http://a.test/");
        let last_server = Some(("slow.test", 9));
        let last = Tick { last_server, ..idle };
        assert_eq!(of(last, 2), "waiting only for slow.test, which has 9 URLs left");
        assert_eq!(of(last, 3), "");
        assert_eq!(of(Tick { last_server: Some(("slow.test", 1)), ..idle }, 0), "");
        let pause = Some(Duration::from_secs(25));
        let both = "next request in 25 s, to slow.test, which has 9 URLs left";
        assert_eq!(of(Tick { pause, ..last }, 30), both);
        assert_eq!(of(Tick { pause, ..idle }, 0), "next request in 25 s");
        let pause = Some(Duration::from_millis(1_900));
        assert_eq!(of(Tick { pause, ..idle }, 0), "");
    }

    #[test]
    fn a_plain_line_comes_every_ten_seconds() {
        let (mut out, start) = (Vec::new(), Instant::now());
        let mut lines = Lines::starting_at(start, None);
        let progress =
            Progress { done: 4, known: 9, in_flight: 1, pages: 2, ..Progress::default() };
        let slow = [(Duration::from_secs(6), "http://a.test/")];
        for second in [1, 9, 10, 11, 19, 20] {
            let tick = Tick { slowest: &slow, ..tick(progress) };
            lines.handle_tick(&mut out, start + Duration::from_secs(second), &tick);
        }
        let text = String::from_utf8(out).expect("text");
        assert_eq!(text.matches("4 of 9 known").count(), 2, "{text}");
        assert_eq!(text.matches("  waiting 6.0 s for http://a.test/\n").count(), 2, "{text}");
        assert_eq!(text.lines().count(), 4, "{text}");
    }

    #[test]
    fn a_line_shows_done_and_known_urls() {
        let progress = Progress {
            done: 1204,
            known: 3000,
            in_flight: 16,
            broken: 2,
            pages: 80,
            ..Progress::default()
        };
        let recent = recent(None, (0..3).map(|second| (second * 38, second)));
        let text = "1,204 of 3,000 known URLs done, 16 in flight, 38/s, 80 pages, 2 broken";
        assert_eq!(line(progress, &recent), text);
        let unconfirmed = Progress { to_confirm: 9, ..progress };
        let text = line(unconfirmed, &recent);
        assert!(text.ends_with(", 2 broken, 9 to confirm"), "{text}");
        let red = style::of(Verdict::Broken);
        let colored = in_color(&text, unconfirmed);
        assert!(colored.contains(&format!(", {red}2 broken{red:#}, ")), "{colored:?}");
        assert_eq!(anstream::adapter::strip_str(&colored).to_string(), text);
        assert_eq!(broken_link("404", "http://a.test/\u{1b}[2J", false).find('\u{1b}'), None);
        let none = Progress { broken: 0, to_confirm: 0, ..progress };
        assert_eq!(in_color("0 broken, 0 to confirm", none), "0 broken, 0 to confirm");
    }
}
