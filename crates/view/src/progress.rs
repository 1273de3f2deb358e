//! Progress of a crawl, on standard error.
//!
//! On a terminal, [`Live`] keeps one line up to date, with broken links above it as they turn up;
//! elsewhere, [`Lines`] writes a plain line every ten seconds. There is no percentage, because
//! the number of known URLs keeps growing.

use std::collections::VecDeque;
use std::io::Write;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use rummage_core::crawl::Progress;

use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};

/// Requests that take longer are listed.
const SLOW: Duration = Duration::from_secs(5);
/// Time between two plain lines.
const PLAIN_EVERY: Duration = Duration::from_secs(10);
/// The time over which the rate is measured.
const RATE_OVER: Duration = Duration::from_secs(5);

/// A line that is kept up to date.
#[derive(Debug)]
pub struct Live {
    bar: ProgressBar,
    rate: Rate,
    width: usize,
}

impl Live {
    /// Draws to standard error, on a terminal with this many columns.
    #[must_use]
    pub fn new(columns: usize) -> Live {
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr_with_hz(10));
        let style = ProgressStyle::with_template("{msg}").expect("the template is fixed");
        bar.set_style(style);
        Live { bar, rate: Rate::default(), width: columns.max(20) }
    }

    /// Shows the current progress.
    pub fn handle_tick(&mut self, now: Instant, progress: Progress, slowest: &[(Duration, &str)]) {
        self.rate.add(now, progress.done);
        let mut text = shorten(&line(progress, self.rate.per_second()), self.width);
        for (time, url) in slowest.iter().filter(|(time, _)| *time >= SLOW) {
            let slow = format!("waiting {} for {}", duration(*time), safe(url));
            text.push('\n');
            text.push_str(&shorten(&slow, self.width));
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
    rate: Rate,
}

impl Lines {
    /// The first line comes ten seconds after `now`.
    #[must_use]
    pub fn starting_at(now: Instant) -> Lines {
        Lines { next: now + PLAIN_EVERY, rate: Rate::default() }
    }

    /// Writes the current progress, if it is time.
    pub fn handle_tick(
        &mut self,
        out: &mut dyn Write,
        now: Instant,
        progress: Progress,
        slowest: &[(Duration, &str)],
    ) {
        self.rate.add(now, progress.done);
        if now < self.next {
            return;
        }
        self.next = now + PLAIN_EVERY;
        // A closed standard error must not end the crawl.
        let _ = writeln!(out, "{}", line(progress, self.rate.per_second()));
        for (time, url) in slowest.iter().filter(|(time, _)| *time >= SLOW) {
            let _ = writeln!(out, "  waiting {} for {}", duration(*time), safe(url));
        }
    }
}

/// The progress of a crawl, in one line.
fn line(progress: Progress, per_second: u64) -> String {
    let to_confirm = match progress.to_confirm {
        0 => String::new(),
        some => format!(", {} to confirm", count(some)),
    };
    format!(
        "{} of {} known URLs done, {} in flight, {}/s, {}, {} broken{to_confirm}",
        count(progress.done),
        count(progress.known),
        count(progress.in_flight),
        count(per_second),
        counted(progress.pages, "page", "pages"),
        count(progress.broken),
    )
}

/// How many URLs are done per second, over the last seconds.
#[derive(Debug, Default)]
struct Rate {
    seen: VecDeque<(Instant, u64)>,
}

impl Rate {
    fn add(&mut self, now: Instant, done: u64) {
        self.seen.push_back((now, done));
        while self.seen.front().is_some_and(|(at, _)| now.duration_since(*at) > RATE_OVER) {
            self.seen.pop_front();
        }
    }

    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        clippy::cast_precision_loss,
        reason = "a rate to read, not to calculate with"
    )]
    fn per_second(&self) -> u64 {
        let (Some((from, before)), Some((to, after))) = (self.seen.front(), self.seen.back())
        else {
            return 0;
        };
        let seconds = to.duration_since(*from).as_secs_f64();
        if seconds > 0.0 {
            (after.saturating_sub(*before) as f64 / seconds).round() as u64
        } else {
            0
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rate_covers_the_last_seconds() {
        let (mut rate, start) = (Rate::default(), Instant::now());
        for second in 0..20 {
            rate.add(start + Duration::from_secs(second), second * 30);
        }
        assert_eq!(rate.per_second(), 30);
        rate.add(start + Duration::from_secs(60), 600);
        assert_eq!(rate.per_second(), 0);
    }

    #[test]
    fn a_plain_line_comes_every_ten_seconds() {
        let (mut out, start) = (Vec::new(), Instant::now());
        let mut lines = Lines::starting_at(start);
        let progress =
            Progress { done: 4, known: 9, in_flight: 1, pages: 2, ..Progress::default() };
        let slow = [(Duration::from_secs(6), "http://a.test/"), (Duration::from_secs(1), "b")];
        for second in [1, 9, 10, 11, 19, 20] {
            lines.handle_tick(&mut out, start + Duration::from_secs(second), progress, &slow);
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
        assert_eq!(
            line(progress, 38),
            "1,204 of 3,000 known URLs done, 16 in flight, 38/s, 80 pages, 2 broken"
        );
        let unconfirmed = Progress { to_confirm: 9, ..progress };
        assert!(line(unconfirmed, 38).ends_with(", 2 broken, 9 to confirm"));
    }
}
