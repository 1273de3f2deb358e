//! Four weeks of the museum's access log.

use std::fmt::Write as _;

use crate::draw::Draw;

/// Requests that were served.
const SERVED: usize = 2_600;

/// A missing URL that visitors requested.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Arrived {
    /// Path and query.
    pub path: &'static str,
    /// The status.
    pub status: u16,
    /// Requests by people.
    pub people: u64,
    /// Requests by robots.
    pub robots: u64,
    /// The page people came from; `-` for none.
    pub referrer: &'static str,
    /// It was served again at the end of the four weeks.
    pub over: bool,
}

/// The truth about [`access_log`].
pub const ARRIVED: &[Arrived] = &[
    row("/volunteers/rota.html", 404, 148, 9, "https://www.ashlock-canal.test/visit/", false),
    row("/visitors/opening.htm", 404, 61, 14, "http://reviews.daytrips.test/ashlock", false),
    row("/boats/hazel/", 404, 40, 2, "https://www.ashlock-canal.test/boats/", true),
    row("/cgi/guestbook", 500, 22, 0, "https://www.ashlock-canal.test/contact/", false),
    row("/newsletter/1998-01.pdf", 410, 9, 31, "-", false),
    row("/old/map.php?sheet=4", 404, 7, 0, "http://boats.hollin-wharf.test/", false),
    row("/wp-login.php", 404, 0, 240, "-", false),
    row("/.env", 404, 0, 77, "-", false),
];

const fn row(
    path: &'static str,
    status: u16,
    people: u64,
    robots: u64,
    referrer: &'static str,
    over: bool,
) -> Arrived {
    Arrived { path, status, people, robots, referrer, over }
}

const PERSON: &str = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0";
const ROBOT: &str = "Mozilla/5.0 (compatible; ExampleBot/2.1; +http://bot.example/)";
/// Pages that are served.
const PAGES: [&str; 6] = ["/", "/visit/", "/walks/", "/boats/", "/diary/2026-09/", "/about/"];

/// Four weeks of November 2026 in Combined Log Format, in order of time; three lines are cut
/// short.
#[must_use]
pub fn access_log() -> String {
    let mut draw = Draw::new(9);
    let mut lines: Vec<(usize, String)> = Vec::new();
    let mut put = |draw: &mut Draw, until: usize, what: (&str, u16, &str, &str)| {
        let minute = draw.below(until);
        lines.push((minute, line(draw, minute, what)));
    };
    const MONTH: usize = 28 * 24 * 60;
    for _ in 0..SERVED {
        let path = PAGES[draw.below(PAGES.len())];
        let agent = if draw.below(5) == 0 { ROBOT } else { PERSON };
        put(&mut draw, MONTH, (path, 200, "-", agent));
    }
    for one in ARRIVED {
        let until = if one.over { MONTH / 2 } else { MONTH };
        for _ in 0..one.people {
            put(&mut draw, until, (one.path, one.status, one.referrer, PERSON));
        }
        for _ in 0..one.robots {
            put(&mut draw, until, (one.path, one.status, "-", ROBOT));
        }
    }
    for one in ARRIVED.iter().filter(|one| one.over) {
        let last = line(&mut draw, MONTH - 1, (one.path, 200, one.referrer, PERSON));
        lines.push((MONTH - 1, last));
    }
    lines.sort_by_key(|(minute, _)| *minute);
    let mut log = String::new();
    for (place, (_, line)) in lines.iter().enumerate() {
        // The disk was full for a moment.
        if matches!(place, 400 | 900 | 1700) {
            log.push_str(&line[..line.len() / 3]);
            log.push('\n');
        }
        log.push_str(line);
    }
    log
}

fn line(
    draw: &mut Draw,
    minute: usize,
    (path, status, referrer, agent): (&str, u16, &str, &str),
) -> String {
    let (day, hour) = (minute / 1440 + 1, minute / 60 % 24);
    let mut line = format!("192.0.2.{} - - ", draw.below(250) + 1);
    let _ = write!(
        line,
        "[{day:02}/Nov/2026:{hour:02}:{:02}:{:02} +0000] ",
        minute % 60,
        draw.below(60)
    );
    let bytes = draw.below(9_000) + 200;
    let _ = writeln!(line, "\"GET {path} HTTP/1.1\" {status} {bytes} \"{referrer}\" \"{agent}\"");
    line
}
