//! Verdicts, causes and evidence in words.

use std::fmt::Write as _;
use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use rummage_core::Moment;
use rummage_core::crawl::pace::Strain;
use rummage_core::crawl::suspicion::Suspicion;
use rummage_core::crawl::traps::Stop;
use rummage_core::crawl::{NotParsed, Note};
use rummage_core::evidence::{
    Attempt, AttemptOutcome, DnsFailure, Failure, ResponseHead, Stage, TlsFailure,
};
use rummage_core::extract::elements::{Attribute, Element, Expected};
use rummage_core::url::reference::path_of;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{FROM_FOLDER, LinkRow, NoteRow, Outcome, RunInfo};

use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::when::when_to_the_second;

/// URLs are cut to this many characters.
const LONGEST: usize = 300;

/// A phrase as the start of a sentence.
pub(crate) fn capitalized(phrase: &str) -> String {
    let mut chars = phrase.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}

/// A site as others may know it: without the path of a folder on this machine.
pub(crate) fn public_name(run: &RunInfo) -> String {
    match run.site.split_once(FROM_FOLDER) {
        Some((host, _)) => format!("{host} (from a folder)"),
        None => run.site.clone(),
    }
}

/// Counts by verdict, without zeros: `12 broken, 3 doubtful`.
pub(crate) fn verdicts(counts: &[(Verdict, u64)]) -> String {
    let some = counts.iter().filter(|(_, many)| *many > 0);
    let parts: Vec<String> =
        some.map(|(verdict, many)| format!("{} {verdict}", count(*many))).collect();
    parts.join(", ")
}

/// A cause with its status, as in `404 Not Found` or `timed out`; the status alone for what is
/// sound.
#[must_use]
pub fn cause(cause: Option<Cause>, status: Option<u16>) -> String {
    let of_status = |cause: Cause| {
        matches!(
            cause,
            Cause::NotFound
                | Cause::Gone
                | Cause::LoginNeeded
                | Cause::AccessRefused
                | Cause::Busy
                | Cause::ClientError
                | Cause::ServerError
        )
    };
    match (cause, status) {
        (None, None) => "works".to_owned(),
        (None, Some(status)) => status_line(status),
        (Some(cause), Some(status)) if of_status(cause) => status_line(status),
        (Some(Cause::Unconfirmed), Some(status)) => {
            format!("{}, {}", status_line(status), Cause::Unconfirmed.words())
        }
        (Some(Cause::Unconfirmed), None) => {
            format!("{}, {}", Cause::Nxdomain.words(), Cause::Unconfirmed.words())
        }
        (Some(cause), Some(status)) if status >= 400 && !cause.is_of_link() => {
            format!("{} ({})", cause.words(), status_line(status))
        }
        (Some(cause), _) => cause.words().to_owned(),
    }
}

/// The cause of a link, with what only the link shows: its fragment, or what it expects.
pub(crate) fn cause_of(row: &LinkRow) -> String {
    let outcome = &row.outcome;
    match outcome.cause {
        Some(Cause::NoSuchFragment) if row.fragment.is_some() => {
            let fragment = row.fragment.as_deref().unwrap_or_default();
            format!("no anchor #{} on the page", safe(&shorten(fragment, 60)))
        }
        Some(Cause::MalformedUrl) if is_of_file(&row.url) => {
            "works only on the author's computer".to_owned()
        }
        Some(Cause::WrongType) => {
            let element = Element::named(&row.element);
            let attribute = Attribute::named(&row.attribute);
            let expected = element.zip(attribute).and_then(|(element, attribute)| {
                element.expected_type(attribute, row.rel.as_deref())
            });
            match expected {
                Some(Expected::Image) => "HTML page where an image is expected".to_owned(),
                Some(Expected::Style) => "HTML page where a stylesheet is expected".to_owned(),
                Some(Expected::Script) => "HTML page where a script is expected".to_owned(),
                None => Cause::WrongType.words().to_owned(),
            }
        }
        _ => cause_of_outcome(outcome),
    }
}

/// Whether a URL names a file: `file:///C:/x`, `C:\\x`.
fn is_of_file(url: &str) -> bool {
    let scheme = url.split_once(':').map_or("", |(scheme, _)| scheme.trim());
    scheme.eq_ignore_ascii_case("file")
        || (scheme.len() == 1 && scheme.chars().all(|c| c.is_ascii_alphabetic()))
}

/// The cause of a URL.
pub(crate) fn cause_of_outcome(outcome: &Outcome) -> String {
    // The status of the last hop does not explain a redirect that works.
    let status = outcome.status.filter(|_| outcome.moved_to.is_none());
    cause(outcome.cause, status)
}

/// A status code with its reason phrase (IANA HTTP Status Code Registry): `404 Not Found`.
fn status_line(status: u16) -> String {
    let known = http::StatusCode::from_u16(status).ok();
    match known.and_then(|status| status.canonical_reason()) {
        Some(reason) => format!("{status} {reason}"),
        None => status.to_string(),
    }
}

/// Why URLs were not checked, to go after their number.
pub(crate) fn skipped(cause: Cause) -> &'static str {
    match cause {
        Cause::OtherScheme => "not HTTP",
        Cause::Excluded => "excluded",
        Cause::External => "external",
        Cause::ServiceLink => "for programs only",
        Cause::Acts => "might change something",
        other => other.words(),
    }
}

/// Why a page was requested but not parsed for links.
pub(crate) fn not_parsed(reason: NotParsed) -> &'static str {
    match reason {
        NotParsed::Depth => "deeper than --depth",
        NotParsed::Within => "outside --within",
        NotParsed::Robots => "disallowed by robots.txt",
    }
}

/// A note about a URL, and what to do about it.
pub(crate) fn note(run: &RunInfo, row: &NoteRow) -> String {
    let url = safe(&shorten(&row.url, LONGEST)).to_string();
    match &row.note {
        Note::RenderedByScript => {
            format!("{url} is rendered by JavaScript: its links were not found")
        }
        Note::RobotsUnknown => format!(
            "{url} could not be fetched, so pages of this host were not parsed for links; \
             --robots ignore parses them"
        ),
        Note::CrawlDelay { requested, kept } if requested == kept => {
            format!(
                "{url} sets a crawl delay of {}, which was obeyed; --rate overrides it",
                duration(*requested)
            )
        }
        Note::CrawlDelay { requested, kept } => format!(
            "{url} sets a crawl delay of {}; {} was used. --rate overrides it",
            duration(*requested),
            duration(*kept)
        ),
        Note::SitemapMissing => format!("the sitemap {url} could not be fetched"),
        Note::SitemapFaulty => {
            format!(
                "{url} is not a valid sitemap, or is incomplete; the URLs before the error were used"
            )
        }
        Note::MoreSitemaps => format!(
            "{url} names more sitemaps than are read: 2,000 in all, through at most 3 indexes"
        ),
        Note::Suspicious(suspicion) => format!(
            "{}, so no finding counts as fixed. If this is right: rummage crawl --accept",
            match suspicion {
                Suspicion::NoLinks => format!("{url} has no links"),
                Suspicion::Login => format!("the start URL ends at a login page, {url}"),
                Suspicion::Consent => format!("the start URL ends at a consent page, {url}"),
                Suspicion::FewPages { pages, before } =>
                    format!("only {} of about {} pages found", count(*pages), count(*before)),
            }
        ),
        Note::UrlLimit => format!(
            "after {url}, as many URLs were known as --max-urls allows; no more pages were parsed"
        ),
        Note::CredentialsInUrl => format!(
            "{url} has links with credentials in their URLs; they were not used, and are not stored"
        ),
        Note::Unreached => format!("{url} is unreached: no link leads to it"),
        Note::Trap(stop) => trap(stop),
        Note::Blocked { since } => {
            let since = moment(run, *since);
            let host = host(&row.url);
            format!(
                "{host} has refused every request since {since}, including URLs that worked before; \
                     its other URLs were not checked"
            )
        }
        Note::CertificateEnds { at } => {
            let ends = timestamp(run, *at);
            let days = ends.duration_since(run.started_at).as_hours() / 24;
            let days = u64::try_from(days).unwrap_or_default();
            format!(
                "the certificate of {} ends in {}, on {}: renew it",
                host(&row.url),
                counted(days, "day", "days"),
                crate::when::when(ends)
            )
        }
        Note::Unsteady { failed, made } => format!(
            "{} fails at random: {} of {} requests had failed; what failed there at all attempts is doubtful",
            host(&row.url),
            count((*failed).into()),
            count((*made).into())
        ),
        Note::NoNames { since } => format!(
            "the DNS server has resolved no new name since {}, and no longer resolves {}, which it had: it seems to be down",
            moment(run, *since),
            host(&row.url)
        ),
        Note::NothingResolved { hosts } => format!(
            "none of {} could be resolved, so the DNS server may be down. If it is not, check a URL that works as well",
            counted(u64::from(*hosts), "host name", "host names"),
        ),
        Note::Offline { since } => format!(
            "no server has responded since {}, not even {url}, which had worked before: the network seems to be down",
            moment(run, *since)
        ),
    }
}

/// On how many of all pages a link appears, and where on them: `on 73 of 88 pages, in footer`.
pub(crate) fn on_many(row: &LinkRow, all: u64) -> String {
    let region = row.region.map_or(String::new(), |region| format!(", in {}", region.as_str()));
    format!("on {} of {} pages{region}", count(row.pages), count(all))
}

/// The URL for editing a page: the template with the page's path in place of `{path}`.
pub fn editor(template: &str, page: &str) -> String {
    template.replace("{path}", path_of(page))
}

/// The server of a URL.
fn host(url: &str) -> String {
    let after = url.find("://").map_or(0, |at| at + 3);
    let host = url[after..].split(['/', '?', '#']).next().unwrap_or_default();
    safe(host).to_string()
}

/// A moment of a run as local time.
pub(crate) fn moment(run: &RunInfo, moment: Moment) -> String {
    when_to_the_second(timestamp(run, moment))
}

/// A moment of a run as a timestamp.
pub(crate) fn timestamp(run: &RunInfo, moment: Moment) -> Timestamp {
    let micros = i64::try_from(moment.as_micros()).unwrap_or(i64::MAX);
    run.epoch_at.checked_add(SignedDuration::from_micros(micros)).unwrap_or(run.epoch_at)
}

/// The sign that requests to a server were too fast.
pub(crate) fn strain(strain: Strain) -> &'static str {
    match strain {
        Strain::TooMany => "429 Too Many Requests",
        Strain::Unavailable => "503 Service Unavailable",
        Strain::Failures => "several failures in a row",
        Strain::Timeout => "time-outs",
        Strain::Slow => "responses three times as slow",
    }
}

fn trap(stop: &Stop) -> String {
    let sample = safe(&shorten(&stop.sample, LONGEST)).to_string();
    let rule = safe(&shorten(&stop.rule, LONGEST)).to_string();
    let after = match stop.read {
        0 => String::new(),
        read => format!(" after {} with the same text", counted(read, "page", "pages")),
    };
    // Pages with the same text and no URL pattern may be anywhere.
    let exclude = match stop.rule.as_str() {
        "/*" => String::new(),
        _ => format!("--exclude '{rule}' skips it from the start, "),
    };
    format!(
        "endless URL pattern skipped{after}, such as {sample}\n      {exclude}--include '{rule}' \
         checks it"
    )
}

/// The outcome of an attempt, in a few words.
#[must_use]
pub fn outcome(outcome: &AttemptOutcome) -> String {
    match outcome {
        AttemptOutcome::Response(answer) => self::answer(answer),
        AttemptOutcome::Failure(failure) => self::failure(failure),
    }
}

/// The status, and what else the response shows.
fn answer(answer: &ResponseHead) -> String {
    let mut out = answer.status.to_string();
    if answer.unchanged {
        out.push_str(", unchanged (304)");
    }
    if answer.truncated {
        out.push_str(", body cut short");
    }
    if let Some(seconds) = answer.retry_after {
        let _ = write!(out, ", Retry-After {}", duration(Duration::from_secs(seconds)));
    }
    if answer.signs.parked && answer.is_success() {
        out.push_str(", a page for a parked domain or an empty server");
    }
    if answer.challenge || answer.signs.challenge {
        out.push_str(", a bot-check page");
    } else if let Some(words) = answer.signs.says_missing.as_ref().filter(|_| answer.is_success()) {
        let _ = write!(out, ", page says \"{}\"", safe(&shorten(words, 60)));
    }
    out
}

fn failure(failure: &Failure) -> String {
    match failure {
        Failure::Dns(DnsFailure::NoSuchName) => "host name does not exist (NXDOMAIN)".to_owned(),
        Failure::Dns(DnsFailure::NoAddress) => "host has no IP address".to_owned(),
        Failure::Dns(DnsFailure::Silence) => "DNS lookup failed (no response)".to_owned(),
        Failure::Dns(DnsFailure::ServerFailure(why)) => {
            format!("DNS lookup failed ({})", safe(why))
        }
        Failure::Timeout(Stage::Connect) => "timed out connecting".to_owned(),
        Failure::Timeout(Stage::Tls) => "TLS handshake timed out".to_owned(),
        Failure::Timeout(Stage::FirstByte) => "timed out waiting for the response".to_owned(),
        Failure::Timeout(Stage::Body) => "timed out reading the body".to_owned(),
        Failure::Refused => "connection refused".to_owned(),
        Failure::Reset => "connection reset".to_owned(),
        Failure::Unreachable => "network unreachable".to_owned(),
        Failure::NoIpv6 => "host is IPv6-only, and this machine has no IPv6".to_owned(),
        Failure::Proxy(why) => safe(why).to_string(),
        Failure::BadResponse(why) => format!("not HTTP ({})", safe(why)),
        Failure::Private(ip) => format!("private IP address {ip}, not requested"),
        Failure::PrivateName => "name of a private network, not requested".to_owned(),
        Failure::OutOfFolder => "symbolic link out of the folder, not read".to_owned(),
        Failure::Tls(failure) => tls(failure),
        Failure::Internal(why) => format!("internal error ({})", safe(why)),
    }
}

fn tls(failure: &TlsFailure) -> String {
    match failure {
        TlsFailure::Expired => "certificate expired".to_owned(),
        TlsFailure::NotYetValid => "certificate not yet valid".to_owned(),
        TlsFailure::WrongHost => "certificate is for another host".to_owned(),
        TlsFailure::SelfSigned => "self-signed certificate".to_owned(),
        TlsFailure::UnknownIssuer => "certificate from an unknown issuer".to_owned(),
        TlsFailure::Unsupported => "no common TLS version or cipher".to_owned(),
        TlsFailure::NotTls => {
            "TLS handshake failed (not a TLS server; plain HTTP on this port?)".to_owned()
        }
        TlsFailure::Other(why) => format!("TLS handshake failed ({})", safe(why)),
    }
}

/// All attempts in one phrase: `HEAD: 405 (3 ms), then 2 × GET: 404 (3 ms)`.
pub(crate) fn attempts(attempts: &[Attempt]) -> String {
    let mut out = String::new();
    let mut rest = attempts;
    while let Some(first) = rest.first() {
        let alike = |other: &&Attempt| {
            let (one, two) = (outcome(&other.outcome), outcome(&first.outcome));
            one == two && other.method == first.method && other.strained == first.strained
        };
        let times = rest.iter().take_while(alike).count();
        let last = &rest[times - 1];
        if !out.is_empty() {
            out.push_str(", then ");
        }
        if times > 1 {
            let _ = write!(out, "{times} × ");
        }
        out.push_str(first.method.as_str());
        let _ = write!(out, ": {} ({})", outcome(&first.outcome), duration(last.took));
        if first.strained {
            out.push_str(" while the server was slowing down");
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
    fn equal_attempts_are_counted() {
        let attempt = |method, status| {
            let outcome =
                AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() });
            Attempt::new(Moment::START, Duration::from_millis(3), method, outcome)
        };
        let seen =
            [attempt(Method::Head, 405), attempt(Method::Get, 404), attempt(Method::Get, 404)];
        assert_eq!(attempts(&seen), "HEAD: 405 (3 ms), then 2 × GET: 404 (3 ms)");
    }

    #[test]
    fn links_to_files_say_where_they_work() {
        let to = |url: &str| {
            let cause = Some(Cause::MalformedUrl);
            let outcome = crate::testing::outcome(Verdict::Broken, cause, None);
            cause_of(&LinkRow { url: url.to_owned(), outcome, ..crate::testing::link_row() })
        };
        for file in ["file:///C:/site/x.html", "C:\\site\\x.html", "FILE://x"] {
            assert_eq!(to(file), "works only on the author's computer", "{file}");
        }
        assert_eq!(to("htp://a.test/"), "invalid URL");
    }

    #[test]
    fn failures_have_words_and_hostile_details_are_escaped() {
        for (failure, words) in [
            (Failure::Dns(DnsFailure::NoSuchName), "host name does not exist (NXDOMAIN)"),
            (Failure::Dns(DnsFailure::NoAddress), "host has no IP address"),
            (Failure::Dns(DnsFailure::Silence), "DNS lookup failed (no response)"),
            (Failure::Timeout(Stage::Connect), "timed out connecting"),
            (Failure::Timeout(Stage::FirstByte), "timed out waiting for the response"),
            (Failure::Timeout(Stage::Body), "timed out reading the body"),
            (Failure::Refused, "connection refused"),
            (Failure::Reset, "connection reset"),
            (Failure::Unreachable, "network unreachable"),
            (Failure::BadResponse("a\u{1b}b".into()), "not HTTP (a\\u{1b}b)"),
            (Failure::Private([10, 0, 0, 1].into()), "private IP address 10.0.0.1, not requested"),
            (Failure::PrivateName, "name of a private network, not requested"),
            (Failure::OutOfFolder, "symbolic link out of the folder, not read"),
            (Failure::Tls(TlsFailure::Expired), "certificate expired"),
            (Failure::Tls(TlsFailure::WrongHost), "certificate is for another host"),
            (Failure::Tls(TlsFailure::SelfSigned), "self-signed certificate"),
            (Failure::Tls(TlsFailure::UnknownIssuer), "certificate from an unknown issuer"),
        ] {
            assert_eq!(outcome(&AttemptOutcome::Failure(failure)), words);
        }
        let cut = ResponseHead { status: 200, truncated: true, ..ResponseHead::default() };
        assert_eq!(outcome(&AttemptOutcome::Response(cut)), "200, body cut short");
    }

    #[test]
    fn causes_have_a_status_line_where_the_status_is_the_cause() {
        assert_eq!(cause(None, None), "works");
        assert_eq!(cause(None, Some(200)), "200 OK");
        assert_eq!(cause(Some(Cause::NotFound), Some(404)), "404 Not Found");
        assert_eq!(cause(Some(Cause::AccessRefused), Some(999)), "999");
        assert_eq!(cause(Some(Cause::NotFound), None), Cause::NotFound.words());
        assert_eq!(cause(Some(Cause::Timeout), None), "timed out");
        assert_eq!(
            cause(Some(Cause::Blocking), Some(403)),
            "host blocks us, or is down (403 Forbidden)"
        );
        assert_eq!(cause(Some(Cause::RedirectLoop), Some(302)), "redirect loop");
        assert_eq!(cause(Some(Cause::Blocking), Some(400)).matches("400 Bad").count(), 1);
        assert_eq!(cause(Some(Cause::Placeholder), Some(404)), "placeholder link");
    }

    #[test]
    fn a_moved_url_shows_no_status_of_its_last_hop() {
        use crate::testing::outcome as result;
        let mut moved = result(Verdict::Doubtful, Some(Cause::NotFound), Some(404));
        assert_eq!(cause_of_outcome(&moved), "404 Not Found");
        moved.moved_to = Some("http://a.test/new".to_owned());
        assert_eq!(cause_of_outcome(&moved), Cause::NotFound.words());
    }

    #[test]
    fn notes_say_what_to_do() {
        use crate::testing::run_info;
        let text = |note| {
            let row = NoteRow { url: "http://a.test/x".to_owned(), note };
            super::note(&run_info(), &row)
        };
        let delay = |requested, kept| Note::CrawlDelay {
            requested: Duration::from_secs(requested),
            kept: Duration::from_secs(kept),
        };
        assert!(
            text(delay(2, 2))
                .ends_with("a crawl delay of 2.0 s, which was obeyed; --rate overrides it")
        );
        assert!(text(delay(30, 2)).contains("a crawl delay of 30 s; 2.0 s was used"));
        let since = Moment::START;
        let blocked = text(Note::Blocked { since });
        assert!(blocked.starts_with("a.test has refused every request since "), "{blocked}");
        assert!(text(Note::Offline { since }).contains("not even http://a.test/x"));
        assert!(text(Note::RobotsUnknown).contains("--robots ignore"));
        let stop =
            |read| Stop { sample: "http://a.test/c?n=9".to_owned(), rule: "/c?*".to_owned(), read };
        let endless = text(Note::Trap(stop(0)));
        assert!(endless.starts_with("endless URL pattern skipped, such as http"), "{endless}");
        assert!(endless.contains("--exclude '/c?*'") && endless.contains("--include '/c?*'"));
        assert!(text(Note::Trap(stop(302))).contains("after 302 pages with the same text"));
        let anywhere = text(Note::Trap(Stop { rule: "/*".to_owned(), ..stop(500) }));
        assert!(anywhere.ends_with("\n      --include '/*' checks it"), "{anywhere}");
    }

    #[test]
    fn a_response_shows_what_else_is_known_of_it() {
        let head = |change: fn(&mut ResponseHead)| {
            let mut head = ResponseHead { status: 200, ..ResponseHead::default() };
            change(&mut head);
            outcome(&AttemptOutcome::Response(head))
        };
        assert_eq!(head(|_| {}), "200");
        assert_eq!(head(|head| head.unchanged = true), "200, unchanged (304)");
        assert_eq!(head(|head| head.retry_after = Some(120)), "200, Retry-After 2 min");
        assert_eq!(head(|head| head.challenge = true), "200, a bot-check page");
        assert_eq!(head(|head| head.signs.challenge = true), "200, a bot-check page");
        let says = |head: &mut ResponseHead| head.signs.says_missing = Some("Not found".to_owned());
        assert_eq!(head(says), "200, page says \"Not found\"");
        assert_eq!(
            head(|head| {
                head.status = 404;
                head.signs.says_missing = Some("Not found".to_owned());
            }),
            "404",
            "the status says it already"
        );
    }

    #[test]
    fn attempts_during_an_overload_are_shown_apart() {
        let mut strained = crate::testing::hop("http://a.test/", &[503, 503]).attempts;
        strained[0].strained = true;
        assert_eq!(
            attempts(&strained),
            "GET: 503 (3 ms) while the server was slowing down, then GET: 503 (3 ms)"
        );
        assert_eq!(attempts(&[]), "");
    }

    #[test]
    fn hosts_pages_and_editors() {
        assert_eq!(host("http://a.test:81/x?y"), "a.test:81");
        assert_eq!(host("a.test"), "a.test");
        assert_eq!(editor("https://cms.test/{path}", "http://a.test/x/"), "https://cms.test//x/");
        let row = crate::testing::link_row();
        assert_eq!(on_many(&row, 88), "on 1 of 88 pages, in footer");
        assert_eq!(
            on_many(&LinkRow { region: None, pages: 1_000, ..row }, 2_000),
            "on 1,000 of 2,000 pages"
        );
    }

    #[test]
    fn each_sign_of_strain_has_words_of_its_own() {
        let words: std::collections::BTreeSet<&str> = Strain::ALL.map(strain).into();
        assert_eq!(words.len(), Strain::ALL.len());
        assert_eq!(strain(Strain::Slow), "responses three times as slow");
        assert_eq!(strain(Strain::Unavailable), "503 Service Unavailable");
    }
}
