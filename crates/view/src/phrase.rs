//! What verdicts, causes and evidence are called in plain words.

use std::fmt::Write as _;
use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use rummage_core::Moment;
use rummage_core::crawl::pace::Strain;
use rummage_core::crawl::traps::Stop;
use rummage_core::crawl::{NotRead, Note};
use rummage_core::evidence::{Answer, Attempt, DnsFailure, Ending, Failure, Stage, TlsFailure};
use rummage_core::url::reference::path_of;
use rummage_core::verdict::Verdict;
use rummage_store::{LinkRow, NoteRow, RunInfo};

use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::when::when_to_the_second;

/// Addresses are shown up to so many characters.
const LONGEST: usize = 300;

/// Counts by verdict, those of nothing left out: `12 broken, 3 doubtful`.
pub(crate) fn verdicts(counts: &[(Verdict, u64)]) -> String {
    let some = counts.iter().filter(|(_, many)| *many > 0);
    let parts: Vec<String> =
        some.map(|(verdict, many)| format!("{} {verdict}", count(*many))).collect();
    parts.join(", ")
}

/// Why a page was asked, but not read for links.
pub(crate) fn not_read(reason: NotRead) -> &'static str {
    match reason {
        NotRead::Depth => "deeper than --depth",
        NotRead::Within => "outside --within",
        NotRead::Robots => "robots.txt asks robots not to",
    }
}

/// What there is to know of an address, and what to do about it.
pub(crate) fn note(run: &RunInfo, row: &NoteRow) -> String {
    let address = safe(&shorten(&row.address, LONGEST)).to_string();
    match &row.note {
        Note::DrawnByScript => {
            format!("{address} is drawn by script: its links were not seen")
        }
        Note::RobotsUnknown => format!(
            "{address} could not be had: pages there were asked but not read; \
             --robots ignore reads them"
        ),
        Note::CrawlDelay { asked, kept } if asked == kept => {
            format!("{address} asks for {} between two requests: --rate wins", duration(*asked))
        }
        Note::CrawlDelay { asked, kept } => format!(
            "{address} asks for {} between two requests, of which {} were kept: --rate wins",
            duration(*asked),
            duration(*kept)
        ),
        Note::SitemapMissing => format!("{address}, the sitemap that was given, could not be had"),
        Note::SitemapFaulty => {
            format!("{address} is no sitemap, or breaks off: what stands before that was read")
        }
        Note::Unreached => format!("{address} is unreached: no link leads to it"),
        Note::Trap(stop) => trap(stop),
        Note::Blocked { since } => {
            let since = moment(run, *since);
            let host = host(&row.address);
            format!(
                "{host} refuses everything since {since}, also what it had answered: its rest \
                     was not asked"
            )
        }
        Note::Offline { since } => format!(
            "nothing answers since {}, nor does {address}, which had: the line seems to be down",
            moment(run, *since)
        ),
    }
}

/// On how many of all pages a link stands, and where on them: `on 73 of 88 pages, in footer`.
pub(crate) fn on_many(row: &LinkRow, all: u64) -> String {
    let region = row.region.map_or(String::new(), |region| format!(", in {}", region.as_str()));
    format!("on {} of {} pages{region}", count(row.pages), count(all))
}

/// Where a page is edited: the template with the page's path in the place of `{path}`.
pub(crate) fn editor(template: &str, page: &str) -> String {
    template.replace("{path}", path_of(page))
}

/// The server of an address.
fn host(address: &str) -> String {
    let after = address.find("://").map_or(0, |at| at + 3);
    let host = address[after..].split(['/', '?', '#']).next().unwrap_or_default();
    safe(host).to_string()
}

/// A moment of a run, by the clock.
pub(crate) fn moment(run: &RunInfo, moment: Moment) -> String {
    when_to_the_second(timestamp(run, moment))
}

/// The same as a time.
pub(crate) fn timestamp(run: &RunInfo, moment: Moment) -> Timestamp {
    let micros = i64::try_from(moment.as_micros()).unwrap_or(i64::MAX);
    run.epoch_at.checked_add(SignedDuration::from_micros(micros)).unwrap_or(run.epoch_at)
}

/// How a server showed that it was asked too fast.
pub(crate) fn strain(strain: Strain) -> &'static str {
    match strain {
        Strain::TooMany => "429: too many requests",
        Strain::Unavailable => "503: no room",
        Strain::Failures => "several failures at once",
        Strain::Timeout => "no answers in time",
        Strain::Slow => "answers three times as slow",
    }
}

fn trap(stop: &Stop) -> String {
    let sample = safe(&shorten(&stop.sample, LONGEST)).to_string();
    let rule = safe(&shorten(&stop.rule, LONGEST)).to_string();
    let after = match stop.read {
        0 => String::new(),
        read => format!(" after {} that say the same", counted(read, "page", "pages")),
    };
    format!(
        "addresses without end were left out{after}, such as {sample}\n      --exclude '{rule}' \
         does so at once, --include '{rule}' takes them in"
    )
}

/// How an attempt ended, in a few words.
#[must_use]
pub fn ending(ending: &Ending) -> String {
    match ending {
        Ending::Answer(answer) => self::answer(answer),
        Ending::Failure(failure) => self::failure(failure),
    }
}

/// The status, and what the answer says beside it.
fn answer(answer: &Answer) -> String {
    let mut out = answer.status.to_string();
    if answer.unchanged {
        out.push_str(", unchanged (304)");
    }
    if answer.truncated {
        out.push_str(", cut short");
    }
    if let Some(seconds) = answer.retry_after {
        let _ = write!(out, ", to come back in {}", duration(Duration::from_secs(seconds)));
    }
    if answer.challenge || answer.signs.challenge {
        out.push_str(", a page that wants to see a person");
    } else if let Some(words) = answer.signs.says_missing.as_ref().filter(|_| answer.is_success()) {
        let _ = write!(out, ", it says \"{}\"", safe(&shorten(words, 60)));
    }
    out
}

fn failure(failure: &Failure) -> String {
    match failure {
        Failure::Dns(DnsFailure::NoSuchName) => "no such host name (NXDOMAIN)".to_owned(),
        Failure::Dns(DnsFailure::NoAddress) => "the host name has no address".to_owned(),
        Failure::Dns(DnsFailure::Silence) => "no name server answered".to_owned(),
        Failure::Dns(DnsFailure::ServerFailure(why)) => {
            format!("the name server failed ({})", safe(why))
        }
        Failure::Timeout(Stage::Connect) => "no connection in time".to_owned(),
        Failure::Timeout(Stage::Tls) => "no end of the TLS handshake in time".to_owned(),
        Failure::Timeout(Stage::FirstByte) => "no answer in time".to_owned(),
        Failure::Timeout(Stage::Body) => "the answer did not end in time".to_owned(),
        Failure::Refused => "connection refused".to_owned(),
        Failure::Reset => "connection reset".to_owned(),
        Failure::Unreachable => "network unreachable".to_owned(),
        Failure::NoIpv6 => "IPv6 addresses alone, and no IPv6 here".to_owned(),
        Failure::Proxy(why) => safe(why).to_string(),
        Failure::BadResponse(why) => format!("not HTTP ({})", safe(why)),
        Failure::Private(ip) => format!("leads to {ip}, which was not asked"),
        Failure::Tls(failure) => tls(failure),
        Failure::Internal(why) => format!("internal error ({})", safe(why)),
    }
}

fn tls(failure: &TlsFailure) -> String {
    match failure {
        TlsFailure::Expired => "the certificate has expired".to_owned(),
        TlsFailure::NotYetValid => "the certificate is not valid yet".to_owned(),
        TlsFailure::WrongHost => "the certificate is for another host".to_owned(),
        TlsFailure::SelfSigned => "the certificate is signed by itself".to_owned(),
        TlsFailure::UnknownIssuer => "nobody known signed the certificate".to_owned(),
        TlsFailure::Unsupported => "no common TLS version or cipher".to_owned(),
        TlsFailure::Other(why) => format!("TLS failed ({})", safe(why)),
    }
}

/// All attempts in one phrase: `HEAD: 405 (3 ms), then GET twice: 404 (3 ms)`.
pub(crate) fn attempts(attempts: &[Attempt]) -> String {
    let mut out = String::new();
    let mut rest = attempts;
    while let Some(first) = rest.first() {
        let alike = |other: &&Attempt| {
            let (one, two) = (ending(&other.ending), ending(&first.ending));
            one == two && other.method == first.method && other.strained == first.strained
        };
        let times = rest.iter().take_while(alike).count();
        let last = &rest[times - 1];
        if !out.is_empty() {
            out.push_str(", then ");
        }
        out.push_str(first.method.as_str());
        match times {
            1 => {}
            2 => out.push_str(" twice"),
            _ => {
                let _ = write!(out, " {times} times");
            }
        }
        let _ = write!(out, ": {} ({})", ending(&first.ending), duration(last.took));
        if first.strained {
            out.push_str(" under strain");
        }
        rest = &rest[times..];
    }
    out
}

#[cfg(test)]
mod tests {
    use rummage_core::evidence::Method;

    use super::*;

    #[test]
    fn attempts_that_are_alike_are_told_once() {
        let attempt = |method, status| {
            let ending = Ending::Answer(Answer { status, ..Answer::default() });
            Attempt::new(Moment::START, Duration::from_millis(3), method, ending)
        };
        let seen =
            [attempt(Method::Head, 405), attempt(Method::Get, 404), attempt(Method::Get, 404)];
        assert_eq!(attempts(&seen), "HEAD: 405 (3 ms), then GET twice: 404 (3 ms)");
    }

    #[test]
    fn failures_are_told_in_words_and_hostile_details_are_shown_safely() {
        for (failure, words) in [
            (Failure::Dns(DnsFailure::NoSuchName), "no such host name (NXDOMAIN)"),
            (Failure::Dns(DnsFailure::NoAddress), "the host name has no address"),
            (Failure::Dns(DnsFailure::Silence), "no name server answered"),
            (Failure::Timeout(Stage::Connect), "no connection in time"),
            (Failure::Timeout(Stage::FirstByte), "no answer in time"),
            (Failure::Timeout(Stage::Body), "the answer did not end in time"),
            (Failure::Refused, "connection refused"),
            (Failure::Reset, "connection reset"),
            (Failure::Unreachable, "network unreachable"),
            (Failure::BadResponse("a\u{1b}b".into()), "not HTTP (a\\u{1b}b)"),
            (Failure::Private([10, 0, 0, 1].into()), "leads to 10.0.0.1, which was not asked"),
            (Failure::Tls(TlsFailure::Expired), "the certificate has expired"),
            (Failure::Tls(TlsFailure::WrongHost), "the certificate is for another host"),
            (Failure::Tls(TlsFailure::SelfSigned), "the certificate is signed by itself"),
            (Failure::Tls(TlsFailure::UnknownIssuer), "nobody known signed the certificate"),
        ] {
            assert_eq!(ending(&Ending::Failure(failure)), words);
        }
        let cut = Answer { status: 200, truncated: true, ..Answer::default() };
        assert_eq!(ending(&Ending::Answer(cut)), "200, cut short");
    }
}
