//! One line of an access log: Common Log Format, or Combined with referrer and agent.

use jiff::civil::{Date, Time};
use jiff::tz::Offset;

use crate::Seconds;

/// A parsed line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Line<'a> {
    /// The time, in seconds since 1970.
    pub at: Seconds,
    /// Path and query, as sent.
    pub path: &'a [u8],
    /// The status of the response.
    pub status: u16,
    /// `Referer`, if there is one.
    pub referrer: Option<&'a [u8]>,
    /// `User-Agent`, if there is one.
    pub agent: Option<&'a [u8]>,
}

/// Parses a line: `… [28/Nov/2026:06:00:00 +0000] "GET /x HTTP/1.1" 404 512 "…" "…"`. Anything
/// before the time, such as a virtual host, is ignored. `None` for any other line.
#[must_use]
pub fn parse(line: &[u8]) -> Option<Line<'_>> {
    let open = memchr::memchr(b'[', line)?;
    let close = open + memchr::memchr(b']', &line[open..])?;
    let at = time(&line[open + 1..close])?;
    let (request, rest) = quoted(&line[close + 1..])?;
    let mut words = rest.split(|byte| *byte == b' ').filter(|word| !word.is_empty());
    let status = number(words.next()?)?;
    let status = u16::try_from(status).ok().filter(|status| (100..1000).contains(status))?;
    let bytes = words.next()?;
    let is_size = bytes == b"-" || number(bytes).is_some();
    if !is_size {
        return None;
    }
    let (referrer, rest) = quoted(rest).map_or((None, rest), |(text, rest)| (Some(text), rest));
    let agent = quoted(rest).map(|(text, _)| text);
    Some(Line { at, path: path(request)?, status, referrer, agent })
}

/// The next quoted string, and the rest after it. `\"` does not end it.
fn quoted(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let start = memchr::memchr(b'"', bytes)? + 1;
    let mut at = start;
    loop {
        at += memchr::memchr2(b'"', b'\\', &bytes[at..])?;
        if bytes[at] == b'"' {
            return Some((&bytes[start..at], &bytes[at + 1..]));
        }
        at = (at + 2).min(bytes.len());
    }
}

/// The path of `GET /x HTTP/1.1`; of an absolute URL, the part after the host.
fn path(request: &[u8]) -> Option<&[u8]> {
    let mut words = request.split(|byte| *byte == b' ');
    let method = words.next()?;
    let target = words.next()?;
    if method.is_empty() || !method.iter().all(u8::is_ascii_uppercase) {
        return None;
    }
    if target.starts_with(b"/") {
        return Some(target);
    }
    let after = target.windows(3).position(|three| three == b"://")? + 3;
    let slash = memchr::memchr(b'/', &target[after..])?;
    Some(&target[after + slash..])
}

fn number(bytes: &[u8]) -> Option<u64> {
    let is_number = !bytes.is_empty() && bytes.len() < 19 && bytes.iter().all(u8::is_ascii_digit);
    is_number.then(|| bytes.iter().fold(0, |sum, byte| sum * 10 + u64::from(byte - b'0')))
}

/// `28/Nov/2026:06:00:00 +0100`
fn time(text: &[u8]) -> Option<Seconds> {
    const MONTHS: [&[u8]; 12] = [
        b"Jan", b"Feb", b"Mar", b"Apr", b"May", b"Jun", b"Jul", b"Aug", b"Sep", b"Oct", b"Nov",
        b"Dec",
    ];
    let part = |from: usize, to: usize| {
        number(text.get(from..to)?).and_then(|number| i64::try_from(number).ok())
    };
    let month = text.get(3..6)?;
    let month = MONTHS.iter().position(|known| *known == month)?;
    let month = i64::try_from(month).ok()? + 1;
    let (day, year) = (part(0, 2)?, part(7, 11)?);
    let (hour, minute, second) = (part(12, 14)?, part(15, 17)?, part(18, 20)?);
    let is_time = hour < 24 && minute < 60 && second < 61;
    let zone = match (text.get(21)?, part(22, 24), part(24, 26)) {
        (b'+', Some(hours), Some(minutes)) => hours * 3600 + minutes * 60,
        (b'-', Some(hours), Some(minutes)) => -(hours * 3600 + minutes * 60),
        _ => return None,
    };
    let date =
        Date::new(i16::try_from(year).ok()?, i8::try_from(month).ok()?, i8::try_from(day).ok()?);
    let midnight = Offset::UTC.to_timestamp(date.ok()?.to_datetime(Time::midnight())).ok()?;
    let of_day = hour * 3600 + minute * 60 + second;
    is_time.then(|| midnight.as_second() + of_day - zone)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn both_formats_may_have_a_virtual_host() {
        let common =
            b"192.0.2.1 - ada [10/Oct/2000:13:55:36 -0700] \"GET /x?y=1 HTTP/1.0\" 404 2326";
        let line = parse(common).expect("the line is valid");
        assert_eq!((line.at, line.path, line.status), (971_211_336, &b"/x?y=1"[..], 404));
        assert_eq!((line.referrer, line.agent), (None, None));
        let combined = b"www.a.test:443 ::1 - - [28/Feb/2024:23:59:59 +0000] \"GET http://a.test/z HTTP/1.1\" \
            410 - \"https://b.test/\" \"An \\\"odd\\\" agent\"";
        let line = parse(combined).expect("the line is valid");
        assert_eq!((line.at, line.path, line.status), (1_709_164_799, &b"/z"[..], 410));
        assert_eq!(line.referrer, Some(&b"https://b.test/"[..]));
        assert_eq!(line.agent, Some(&b"An \\\"odd\\\" agent"[..]));
    }

    #[test]
    fn a_request_without_a_method_is_none() {
        let path = |request: &str| {
            let line = format!("h - - [10/Oct/2000:13:55:36 -0700] \"{request}\" 404 5");
            parse(line.as_bytes()).map(|line| String::from_utf8_lossy(line.path).into_owned())
        };
        assert_eq!(path("GET /x HTTP/1.1").as_deref(), Some("/x"));
        assert_eq!(path(" /x HTTP/1.1"), None);
        assert_eq!(path("get /x HTTP/1.1"), None);
        assert_eq!(path("-"), None);
    }

    #[test]
    fn times_are_in_the_zone_of_the_log() {
        let at = |time: &str| {
            let line = format!("h - - [{time}] \"GET /x HTTP/1.1\" 404 5");
            parse(line.as_bytes()).expect("the line is valid").at
        };
        // 00:00 on 1 January 2026 in UTC.
        for time in [
            "01/Jan/2026:00:00:00 +0000",
            "01/Jan/2026:05:45:00 +0545",
            "31/Dec/2025:20:30:00 -0330",
            "31/Dec/2025:23:59:60 +0000",
        ] {
            assert_eq!(at(time), 1_767_225_600, "{time}");
        }
    }

    #[test]
    fn what_is_no_line_is_none() {
        for text in [
            "",
            "hello",
            "1.2.3.4 - - [28/Nov/2026:06:00:00 +0000] \"GET /x HTTP/1.1\"",
            "1.2.3.4 - - [28/Nov/2026:06:00:00 +0000] \"GET /x HTTP/1.1\" 40 5",
            "1.2.3.4 - - [28/Nov/2026:06:00:00 +0000] \"GET /x HTTP/1.1\" 404 x",
            "1.2.3.4 - - [28/Foo/2026:06:00:00 +0000] \"GET /x HTTP/1.1\" 404 5",
            "1.2.3.4 - - [28/Nov/2026:06:00:00] \"GET /x HTTP/1.1\" 404 5",
            "1.2.3.4 - - [28/Nov/2026:06:00:00 +0000] \"\\x16\\x03\\x01\" 400 5",
            "1.2.3.4 - - [28/Nov/2026:06:00:00 +0000] \"GET /x HTTP/1.1 404 5",
        ] {
            assert_eq!(parse(text.as_bytes()), None, "{text}");
        }
    }

    proptest! {
        /// No content of a log causes a panic.
        #[test]
        fn parsing_any_bytes_does_not_panic(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let _ = parse(&bytes);
            let mut line = b"h - - [28/Nov/2026:06:00:00 +0000] \"GET /x HTTP/1.1\" 404 5 ".to_vec();
            line.extend(&bytes);
            prop_assert!(parse(&line).is_some_and(|line| line.status == 404));
        }
    }
}
