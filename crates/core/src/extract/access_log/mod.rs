//! Missing URLs that visitors requested, from the lines of access logs.
//!
//! An [`Arrivals`] takes lines and counts, for each URL, how often it was missing, for whom, and
//! where they came from. It accepts Common and Combined Log Format, with or without a virtual
//! host before it.
//!
//! ```
//! use rummage_core::extract::access_log::Arrivals;
//! use rummage_core::url::query::QueryRule;
//!
//! let mut arrivals = Arrivals::new(None, QueryRule::Keep);
//! let line = br#"203.0.113.9 - - [01/Nov/2026:02:39:22 +0000] "GET /lost HTTP/1.1" 404 153 "#;
//! arrivals.handle_line(1, line);
//! let missing = arrivals.finish();
//! assert_eq!((missing[0].path.as_str(), missing[0].people()), ("/lost", 1));
//! ```

mod line;

use std::collections::HashMap;

use url::Url;

use crate::Seconds;
use crate::url::query::QueryRule;
use crate::url::scope::Bounds;

pub use line::{Line, parse};

/// How many different referrers are kept for each URL; further ones are only counted.
const REFERRERS: usize = 100;

/// How many malformed lines are kept as samples.
const SHOWN: usize = 3;

/// Words in the names of robots, in lower case.
const ROBOTS: [&str; 21] = [
    "bot",
    "crawl",
    "spider",
    "curl/",
    "wget/",
    "python",
    "java/",
    "go-http",
    "libwww",
    "perl",
    "ruby",
    "php/",
    "headless",
    "monitor",
    "scan",
    "fetch",
    "preview",
    "feed",
    "archiv",
    "rummage",
    "http-client",
];

/// A missing URL that was requested.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Arrival {
    /// Path and query, after the rule for queries.
    pub path: String,
    /// The last failing status.
    pub status: u16,
    /// Failed requests.
    pub hits: u64,
    /// How many of them were made by robots, according to their `User-Agent`.
    pub robots: u64,
    /// The time of the first failed request, in seconds since 1970.
    pub first: Seconds,
    /// The time of the last failed request.
    pub last: Seconds,
    /// When it was last requested successfully.
    pub fine_at: Option<Seconds>,
    /// Pages of the site that linked there, and how often.
    pub own: HashMap<String, u64>,
    /// Pages of other sites.
    pub others: HashMap<String, u64>,
    /// Requests without a referrer, or with one of too many.
    pub from_nowhere: u64,
}

impl Arrival {
    /// Requests by people, as far as is known.
    #[must_use]
    pub fn people(&self) -> u64 {
        self.hits - self.robots
    }

    /// It was served after it had been missing: it is fixed.
    #[must_use]
    pub fn is_over(&self) -> bool {
        self.fine_at.is_some_and(|at| at > self.last)
    }
}

/// Processes the lines of access logs. See the [module](self).
#[derive(Debug)]
pub struct Arrivals {
    bounds: Option<Bounds>,
    query: QueryRule,
    found: HashMap<String, Arrival>,
    /// Lines that were read.
    pub lines: u64,
    /// Lines that could not be read.
    pub malformed: u64,
    /// The first of them, with their line numbers.
    pub samples: Vec<(u64, String)>,
    /// The first and last time in the logs.
    pub span: Option<(Seconds, Seconds)>,
}

impl Arrivals {
    /// For the site with this start URL, if it is known; `query`: what to do with query strings.
    #[must_use]
    pub fn new(start: Option<&Url>, query: QueryRule) -> Arrivals {
        Arrivals {
            bounds: start.map(|start| Bounds::around(start, &[])),
            query,
            found: HashMap::new(),
            lines: 0,
            malformed: 0,
            samples: Vec::new(),
            span: None,
        }
    }

    /// Processes a line; `number` is its line number, from 1. Empty lines are ignored.
    pub fn handle_line(&mut self, number: u64, bytes: &[u8]) {
        let bytes = bytes.trim_ascii();
        if bytes.is_empty() {
            return;
        }
        self.lines += 1;
        match parse(bytes) {
            Some(line) => self.take(&line),
            None => {
                self.malformed += 1;
                if self.samples.len() < SHOWN {
                    let start = &bytes[..bytes.len().min(200)];
                    self.samples.push((number, String::from_utf8_lossy(start).into_owned()));
                }
            }
        }
    }

    fn take(&mut self, line: &Line<'_>) {
        let (first, last) = self.span.unwrap_or((line.at, line.at));
        self.span = Some((first.min(line.at), last.max(line.at)));
        let is_missing = matches!(line.status, 404 | 410 | 500..=599);
        if !is_missing {
            // Most lines end here: a URL that was never missing does not matter.
            if self.found.is_empty() || !(200..400).contains(&line.status) {
                return;
            }
            let path = self.path(line.path);
            if let Some(arrival) = self.found.get_mut(&path) {
                arrival.fine_at = arrival.fine_at.max(Some(line.at));
            }
            return;
        }
        let path = self.path(line.path);
        let is_robot = is_robot(line.agent);
        let referrer = line.referrer.filter(|referrer| *referrer != b"-" && !referrer.is_empty());
        let referrer = referrer.map(|referrer| String::from_utf8_lossy(referrer).into_owned());
        let is_own = referrer.as_deref().is_some_and(|referrer| self.is_own(referrer));
        let arrival = self.found.entry(path.clone()).or_insert_with(|| Arrival {
            path,
            status: line.status,
            hits: 0,
            robots: 0,
            first: line.at,
            last: line.at,
            fine_at: None,
            own: HashMap::new(),
            others: HashMap::new(),
            from_nowhere: 0,
        });
        arrival.hits += 1;
        arrival.robots += u64::from(is_robot);
        if line.at >= arrival.last {
            (arrival.last, arrival.status) = (line.at, line.status);
        }
        arrival.first = arrival.first.min(line.at);
        let list = if is_own { &mut arrival.own } else { &mut arrival.others };
        match referrer {
            Some(referrer) if list.len() < REFERRERS || list.contains_key(&referrer) => {
                *list.entry(referrer).or_default() += 1;
            }
            _ => arrival.from_nowhere += 1,
        }
    }

    /// Whether a page belongs to the site.
    fn is_own(&self, referrer: &str) -> bool {
        let Some(bounds) = &self.bounds else { return false };
        Url::parse(referrer).is_ok_and(|url| bounds.is_own(&url))
    }

    /// A path after the rule for queries.
    fn path(&self, path: &[u8]) -> String {
        let path = String::from_utf8_lossy(path);
        if self.query == QueryRule::Keep || !path.contains('?') {
            return path.into_owned();
        }
        let Ok(mut url) = Url::parse("http://a.invalid").and_then(|base| base.join(&path)) else {
            return path.into_owned();
        };
        self.query.apply(&mut url);
        url[url::Position::BeforePath..url::Position::AfterQuery].to_owned()
    }

    /// The missing URLs: those that people requested most first, then those of robots.
    #[must_use]
    pub fn finish(self) -> Vec<Arrival> {
        let mut found: Vec<Arrival> = self.found.into_values().collect();
        found.sort_by(|a, b| (b.people(), b.hits, &a.path).cmp(&(a.people(), a.hits, &b.path)));
        found
    }
}

/// Whether the User-Agent is that of a robot, or empty.
fn is_robot(agent: Option<&[u8]>) -> bool {
    // Common Log Format has no User-Agent.
    let Some(agent) = agent else { return false };
    if agent.is_empty() || agent == b"-" {
        return true;
    }
    let agent = String::from_utf8_lossy(agent).to_ascii_lowercase();
    ROBOTS.iter().any(|word| agent.contains(word))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn gathered(query: QueryRule, log: &str) -> (Arrivals, Vec<Arrival>) {
        let start = Url::parse("https://www.a.test/").expect("a URL");
        let mut arrivals = Arrivals::new(Some(&start), query);
        let mut again = Arrivals::new(Some(&start), arrivals.query.clone());
        for (number, line) in (1..).zip(log.lines()) {
            arrivals.handle_line(number, line.as_bytes());
            again.handle_line(number, line.as_bytes());
        }
        (arrivals, again.finish())
    }

    fn line(path: &str, status: u16, referrer: &str, agent: &str, second: u32) -> String {
        format!(
            "192.0.2.1 - - [28/Nov/2026:06:00:{second:02} +0000] \"GET {path} HTTP/1.1\" {status} 9 \
             \"{referrer}\" \"{agent}\"\n"
        )
    }

    const PERSON: &str = "Mozilla/5.0 (X11; Linux) Firefox/140";

    #[test]
    fn only_a_success_or_redirect_ends_what_was_missing() {
        let log =
            |status| line("/old", 404, "-", PERSON, 1) + &line("/old", status, "-", PERSON, 9);
        for (status, is_over) in
            [(200, true), (301, true), (399, true), (199, false), (400, false), (403, false)]
        {
            let (_, found) = gathered(QueryRule::Keep, &log(status));
            assert_eq!(found[0].is_over(), is_over, "{status}");
            assert_eq!(found[0].hits, 1, "{status}");
        }
    }

    #[test]
    fn missing_urls_are_counted_by_visitor_and_referrer() {
        let log = line("/old", 404, "http://a.test/visit/", PERSON, 1)
            + &line("/old", 404, "https://www.a.test/visit/", PERSON, 2)
            + &line("/old", 404, "https://blog.test/", PERSON, 3)
            + &line("/old", 404, "-", "ExampleBot/2.0", 4)
            + &line("/", 200, "-", PERSON, 5)
            + &line("/gone", 410, "-", "-", 6)
            + &line("/slow", 503, "-", PERSON, 7)
            + &line("/denied", 403, "-", PERSON, 8);
        let (_, found) = gathered(QueryRule::Keep, &log);
        let counts: Vec<(&str, u16, u64, u64)> = found
            .iter()
            .map(|one| (one.path.as_str(), one.status, one.people(), one.robots))
            .collect();
        assert_eq!(counts, [("/old", 404, 3, 1), ("/slow", 503, 1, 0), ("/gone", 410, 0, 1)]);
        let old = &found[0];
        assert_eq!(old.own.values().sum::<u64>(), 2, "the twin belongs to the site");
        assert_eq!((old.others["https://blog.test/"], old.from_nowhere), (1, 1));
        assert_eq!(old.last - old.first, 3);
    }

    #[test]
    fn urls_served_later_are_fixed() {
        let log = line("/x", 404, "-", PERSON, 1)
            + &line("/x", 200, "-", PERSON, 2)
            + &line("/y", 200, "-", PERSON, 3)
            + &line("/y", 404, "-", PERSON, 4)
            // Within the same second, either may have been later.
            + &line("/z", 200, "-", PERSON, 5)
            + &line("/z", 404, "-", PERSON, 5);
        let (_, found) = gathered(QueryRule::Keep, &log);
        let over: Vec<(&str, bool)> =
            found.iter().map(|one| (one.path.as_str(), one.is_over())).collect();
        assert_eq!(over, [("/x", true), ("/y", false), ("/z", false)]);
    }

    #[test]
    fn queries_follow_the_rule_of_the_site() {
        let log =
            line("/x?session=1", 404, "-", PERSON, 1) + &line("/x?session=2", 404, "-", PERSON, 2);
        assert_eq!(gathered(QueryRule::Keep, &log).1.len(), 2);
        let folded = gathered(QueryRule::Drop, &log).1;
        assert_eq!((folded.len(), folded[0].path.as_str(), folded[0].hits), (1, "/x", 2));
    }

    #[test]
    fn malformed_lines_are_counted_and_the_first_kept() {
        let log = format!("one\n\ntwo\n{}three\nfour\n", line("/x", 404, "-", PERSON, 1));
        let (arrivals, found) = gathered(QueryRule::Keep, &log);
        assert_eq!((arrivals.lines, arrivals.malformed, found.len()), (5, 4, 1));
        let numbers: Vec<u64> = arrivals.samples.iter().map(|(number, _)| *number).collect();
        assert_eq!(numbers, [1, 3, 5]);
    }

    proptest! {
        /// Logs in any order, cut into any pieces, give the same missing URLs.
        #[test]
        fn the_order_of_lines_changes_nothing(
            seed in prop::collection::vec((0..6u32, 0..3usize, 0..60u32), 1..40),
            cut in 0..40usize,
        ) {
            let statuses = [404, 200, 503];
            let lines: Vec<String> = seed
                .iter()
                .map(|(path, status, second)| {
                    line(&format!("/{path}"), statuses[*status], "https://b.test/", PERSON, *second)
                })
                .collect();
            let missing = |lines: &[String]| {
                let (_, found) = gathered(QueryRule::Keep, &lines.concat());
                let mut missing: Vec<_> = found
                    .into_iter()
                    .map(|one| (one.path.clone(), one.hits, one.first, one.last))
                    .collect();
                missing.sort();
                missing
            };
            let mut turned = lines.clone();
            turned.rotate_left(cut % lines.len());
            prop_assert_eq!(missing(&lines), missing(&turned));
            let all: u64 = missing(&lines).iter().map(|(_, hits, ..)| hits).sum();
            let missing = seed.iter().filter(|(_, status, _)| *status != 1).count();
            prop_assert_eq!(all, missing as u64);
        }
    }
}
