//! The table of addresses that were asked.

use url::{Host, Url};

use super::Judgement;
use crate::evidence::landing::RedirectLanding;
use crate::evidence::{Answer, DnsFailure, Ending, Failure, TlsFailure};
use crate::url::network::is_loopback;
use crate::url::scope::Scope;

/// How an address was come by, on the way to its last answer.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Way {
    /// It answered itself.
    #[default]
    Direct,
    /// By redirects, the first of them for good.
    Permanent,
    /// By redirects, the first of them for now.
    Temporary,
}

/// What is wrong with the redirects themselves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Hops {
    /// Nothing.
    #[default]
    Fine,
    /// They come back to where they were, with the same cookies.
    Loop,
    /// They are too many.
    TooMany,
}

/// What is known beside the answer.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Clues {
    /// The line seems to be down.
    pub offline: bool,
    /// The host refuses everything by now.
    pub blocked: bool,
    /// Its host never answers: it was not asked (again).
    pub given_up: bool,
    /// A page of the host that had answered well did so again right after.
    pub well_again: bool,
    /// The body is like that of an address that was made up.
    pub like_made_up: bool,
    /// Where redirects have led.
    pub sent: Option<RedirectLanding>,
    /// What is wrong with the redirects.
    pub hops: Hops,
    /// The request went through a proxy.
    pub proxied: bool,
    /// The status that the settings expect of this very address.
    pub expected: Option<u16>,
}

/// What was seen of an address.
#[derive(Debug, Clone, Copy)]
pub struct Asked<'a> {
    /// The address that answered, or that failed.
    pub address: &'a str,
    /// The last answer or failure.
    pub ending: &'a Ending,
    /// How it was come by.
    pub way: Way,
    /// On which side of the bounds that address lies.
    pub scope: Scope,
    /// What is known beside.
    pub clues: Clues,
}

impl Asked<'_> {
    fn answer(&self) -> Option<&Answer> {
        match self.ending {
            Ending::Answer(answer) => Some(answer),
            Ending::Failure(_) => None,
        }
    }

    fn has(&self, fits: impl Fn(&Answer) -> bool) -> bool {
        self.answer().is_some_and(fits)
    }

    fn status(&self, statuses: &[u16]) -> bool {
        self.has(|answer| statuses.contains(&answer.status))
    }

    fn failed(&self, fits: impl Fn(&Failure) -> bool) -> bool {
        matches!(self.ending, Ending::Failure(failure) if fits(failure))
    }

    fn is(&self, failure: &Failure) -> bool {
        self.failed(|seen| seen == failure)
    }

    fn tls(&self, fits: impl Fn(&TlsFailure) -> bool) -> bool {
        self.failed(|failure| matches!(failure, Failure::Tls(tls) if fits(tls)))
    }

    fn is_own(&self) -> bool {
        self.scope == Scope::Internal
    }

    /// The address names a private place by number, or this machine by name.
    fn names_private(&self) -> bool {
        Url::parse(self.address)
            .is_ok_and(|url| is_loopback(&url) || !matches!(url.host(), Some(Host::Domain(_))))
    }

    /// 300 is a page that offers a choice (RFC 9110 §15.4.1): a visitor can read it.
    fn is_good(&self) -> bool {
        self.has(|answer| (200..=300).contains(&answer.status))
    }
}

/// What is said of an address that was asked.
#[must_use]
pub fn judge(seen: &Asked<'_>) -> Judgement {
    ROWS.iter()
        .find(|row| (row.fits)(seen))
        .map_or(Judgement::broken(super::Cause::BadResponse), |row| row.judgement)
}

table! {
    |seen: Asked<'_>| examples of Example;

    as_expected: Sound() if seen.clues.expected.is_some_and(|status| seen.status(&[status])),
        as in answers(403).own().clue(|clues| clues.expected = Some(403)),
              answers(404).clue(|clues| clues.expected = Some(404));
    not_as_expected: Broken(NotAsExpected)
        if seen.clues.expected.is_some() && seen.has(|answer| !answer.may_pass()),
        as in answers(200).clue(|clues| clues.expected = Some(410));

    internal_error: Doubtful(InternalError) if seen.failed(|f| matches!(f, Failure::Internal(_))),
        as in fails(Failure::Internal("a bound was wrong".into()));
    offline: Doubtful(Offline) if seen.clues.offline,
        as in fails(Failure::Unreachable).clue(|clues| clues.offline = true);
    blocked: Doubtful(Blocking) if seen.clues.blocked,
        as in answers(403).clue(|clues| clues.blocked = true),
              fails(Failure::Reset).own().clue(|clues| clues.blocked = true);
    challenge: Doubtful(Blocking)
        if seen.has(|answer| answer.challenge || answer.signs.challenge),
        as in answers(403).answer(|answer| answer.challenge = true),
              answers(200).answer(|answer| answer.signs.challenge = true),
              answers(503).answer(|answer| answer.signs.challenge = true);
    given_up: Doubtful(Timeout) if seen.clues.given_up,
        as in fails(Failure::Timeout(Stage::Connect)).clue(|clues| clues.given_up = true);
    names_private: Broken(PrivateAddress)
        if seen.failed(|f| matches!(f, Failure::Private(_))) && seen.names_private(),
        as in fails(private()).at("http://192.168.1.1/"), fails(private()).at("http://localhost:8000/"),
              fails(private()).at("http://[fd00::1]/");
    leads_to_private: Doubtful(PrivateAddress) if seen.failed(|f| matches!(f, Failure::Private(_))),
        as in fails(private()).at("http://intranet.b.test/");

    proxy_has_no_name: Doubtful(DnsFailure)
        if seen.clues.proxied && seen.failed(|f| matches!(f, Failure::Dns(_))),
        as in fails(Failure::Dns(DnsFailure::NoSuchName)).clue(|clues| clues.proxied = true);
    proxy_has_no_answer: Doubtful(ServerError) if seen.clues.proxied && seen.status(&[502, 504]),
        as in answers(502).clue(|clues| clues.proxied = true),
              answers(504).clue(|clues| clues.proxied = true);
    proxy_failed: Doubtful(Unreachable) if seen.failed(|f| matches!(f, Failure::Proxy(_))),
        as in fails(Failure::Proxy("the proxy could not connect".into()));

    no_such_name: Broken(Nxdomain) if seen.is(&Failure::Dns(DnsFailure::NoSuchName)),
        as in fails(Failure::Dns(DnsFailure::NoSuchName));
    no_address: Broken(NoAddress) if seen.is(&Failure::Dns(DnsFailure::NoAddress)),
        as in fails(Failure::Dns(DnsFailure::NoAddress));
    no_ipv6: Doubtful(NoIpv6) if seen.is(&Failure::NoIpv6),
        as in fails(Failure::NoIpv6);
    dns_failed: Broken(DnsFailure) if seen.failed(|f| matches!(f, Failure::Dns(_))),
        as in fails(Failure::Dns(DnsFailure::Silence)),
              fails(Failure::Dns(DnsFailure::ServerFailure("SERVFAIL".into())));
    refused: Broken(ConnectionRefused) if seen.is(&Failure::Refused),
        as in fails(Failure::Refused);
    reset: Broken(ConnectionReset) if seen.is(&Failure::Reset),
        as in fails(Failure::Reset);
    unreachable: Broken(Unreachable) if seen.is(&Failure::Unreachable),
        as in fails(Failure::Unreachable);
    timeout: Broken(Timeout) if seen.failed(|f| matches!(f, Failure::Timeout(_))),
        as in fails(Failure::Timeout(Stage::Connect)), fails(Failure::Timeout(Stage::Tls)),
              fails(Failure::Timeout(Stage::FirstByte)), fails(Failure::Timeout(Stage::Body));

    tls_expired: Broken(TlsExpired)
        if seen.tls(|f| matches!(f, TlsFailure::Expired | TlsFailure::NotYetValid)),
        as in fails(Failure::Tls(TlsFailure::Expired)), fails(Failure::Tls(TlsFailure::NotYetValid));
    tls_wrong_host: Broken(TlsWrongHost) if seen.tls(|f| *f == TlsFailure::WrongHost),
        as in fails(Failure::Tls(TlsFailure::WrongHost));
    tls_self_signed: Broken(TlsUntrusted) if seen.tls(|f| *f == TlsFailure::SelfSigned),
        as in fails(Failure::Tls(TlsFailure::SelfSigned));
    tls_unknown_issuer: Doubtful(TlsChain) if seen.tls(|f| *f == TlsFailure::UnknownIssuer),
        as in fails(Failure::Tls(TlsFailure::UnknownIssuer));
    tls_nothing_common: Doubtful(TlsUnsupported) if seen.tls(|f| *f == TlsFailure::Unsupported),
        as in fails(Failure::Tls(TlsFailure::Unsupported));
    tls_failed: Broken(TlsFailure) if seen.tls(|_| true),
        as in fails(Failure::Tls(TlsFailure::Other("the port does not speak TLS".into())));

    not_http: Broken(BadResponse) if seen.failed(|f| matches!(f, Failure::BadResponse(_))),
        as in fails(Failure::BadResponse("invalid HTTP version parsed".into()));
    cut_short: Doubtful(Truncated) if seen.is_good() && seen.has(|answer| answer.truncated),
        as in answers(200).answer(|answer| answer.truncated = true);

    redirect_loop: Broken(RedirectLoop) if seen.clues.hops == Hops::Loop,
        as in answers(302).clue(|clues| clues.hops = Hops::Loop);
    redirect_limit: Broken(RedirectLimit) if seen.clues.hops == Hops::TooMany,
        as in answers(302).clue(|clues| clues.hops = Hops::TooMany);
    redirect_nowhere: Broken(BadRedirect) if seen.has(Answer::is_redirect),
        as in answers(301), answers(302), answers(303), answers(307), answers(308);

    not_found: Broken(NotFound) if seen.status(&[404]), as in answers(404), answers(404).own();
    gone: Broken(Gone) if seen.status(&[410]), as in answers(410);
    login_needed: Doubtful(LoginNeeded) if seen.status(&[401, 407]), as in answers(401), answers(407).own();

    own_access_refused: Broken(AccessRefused)
        if seen.is_own() && seen.status(&[403, 405]) && seen.clues.well_again,
        as in answers(403).own().clue(|clues| clues.well_again = true),
              answers(405).own().clue(|clues| clues.well_again = true);
    own_refuses_us: Doubtful(Blocking) if seen.is_own() && seen.status(&[403, 405]),
        as in answers(403).own(), answers(405).own();
    access_refused: Doubtful(AccessRefused)
        if seen.status(&[402, 403, 405, 418, 444, 451]) || seen.has(|answer| !is_registered(answer.status)),
        as in answers(403), answers(405), answers(451), answers(402), answers(418), answers(444),
              answers(451).own(), answers(999), answers(520).own();

    too_many_requests: Doubtful(Busy) if seen.status(&[429]), as in answers(429), answers(429).own();
    busy: Doubtful(Busy) if seen.has(|a| a.status == 503 && a.retry_after.is_some()),
        as in answers(503).answer(|answer| answer.retry_after = Some(3600));
    client_error: Broken(ClientError) if seen.has(|answer| (400..500).contains(&answer.status)),
        as in answers(400), answers(422), answers(431).own();
    server_error: Broken(ServerError) if seen.has(|answer| (500..600).contains(&answer.status)),
        as in answers(500), answers(502).own(), answers(503);

    says_missing: Doubtful(Soft404)
        if seen.is_good() && seen.has(|answer| answer.signs.says_missing.is_some()),
        as in answers(200).answer(|a| a.signs.says_missing = Some("Page not found".into()));
    like_made_up: Doubtful(Soft404) if seen.is_good() && seen.clues.like_made_up,
        as in answers(200).own().clue(|clues| clues.like_made_up = true);
    sent_home: Doubtful(RedirectedHome) if seen.is_good() && seen.clues.sent == Some(RedirectLanding::Home),
        as in answers(200).by(Way::Permanent).clue(|clues| clues.sent = Some(RedirectLanding::Home));
    sent_to_login: Doubtful(RedirectedLogin) if seen.is_good() && seen.clues.sent == Some(RedirectLanding::Login),
        as in answers(200).by(Way::Temporary).clue(|clues| clues.sent = Some(RedirectLanding::Login));
    sent_to_consent: Doubtful(ConsentWall) if seen.is_good() && seen.clues.sent == Some(RedirectLanding::Consent),
        as in answers(200).by(Way::Temporary).clue(|clues| clues.sent = Some(RedirectLanding::Consent));
    moved: Moved(MovedPermanently) if seen.is_good() && seen.way == Way::Permanent,
        as in answers(200).by(Way::Permanent);
    redirected: Sound(Redirected) if seen.is_good() && seen.way == Way::Temporary,
        as in answers(200).by(Way::Temporary);
    sound: Sound() if seen.is_good(), as in answers(200), answers(204).own(), answers(300);

    // 1xx as a last word, and 304 and 305, which nobody asked for.
    no_last_word: Broken(BadResponse) if !seen.is_good(), as in answers(101), answers(304);
}

/// Whether a status stands in IANA's registry of HTTP status codes.
fn is_registered(status: u16) -> bool {
    matches!(status, 300..=308 | 400..=417 | 421..=426 | 428 | 429 | 431 | 451 | 500..=508 | 510 | 511)
        || status < 300
}

#[cfg(test)]
use crate::evidence::Stage;

#[cfg(test)]
fn private() -> Failure {
    Failure::Private([10, 0, 0, 1].into())
}

#[cfg(test)]
struct Example {
    address: &'static str,
    ending: Ending,
    way: Way,
    scope: Scope,
    clues: Clues,
}

#[cfg(test)]
fn seen(ending: Ending) -> Example {
    let (way, clues) = (Way::Direct, Clues::default());
    Example { address: "http://b.test/x", ending, way, scope: Scope::External, clues }
}

#[cfg(test)]
fn answers(status: u16) -> Example {
    seen(Ending::Answer(Answer { status, ..Answer::default() }))
}

#[cfg(test)]
fn fails(failure: Failure) -> Example {
    seen(Ending::Failure(failure))
}

#[cfg(test)]
impl Example {
    fn own(self) -> Example {
        Example { scope: Scope::Internal, ..self }
    }

    fn at(self, address: &'static str) -> Example {
        Example { address, ..self }
    }

    fn by(self, way: Way) -> Example {
        Example { way, ..self }
    }

    fn clue(mut self, set: impl FnOnce(&mut Clues)) -> Example {
        set(&mut self.clues);
        self
    }

    fn answer(mut self, set: impl FnOnce(&mut Answer)) -> Example {
        if let Ending::Answer(answer) = &mut self.ending {
            set(answer);
        }
        self
    }

    fn asked(&self) -> Asked<'_> {
        let Example { address, ref ending, way, scope, clues } = *self;
        Asked { address, ending, way, scope, clues }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_row_is_the_first_that_fits_its_examples() {
        for (row, example) in examples() {
            let asked = example.asked();
            let first = ROWS.iter().find(|row| (row.fits)(&asked));
            assert_eq!(first.map(|row| row.name), Some(row), "{asked:?}");
            assert_eq!(Some(judge(&asked)), first.map(|row| row.judgement));
        }
    }

    #[test]
    fn a_bad_status_is_told_whatever_the_page_says_of_itself() {
        for (status, cause) in
            [(404, super::super::Cause::NotFound), (500, super::super::Cause::ServerError)]
        {
            let example = answers(status).answer(|answer| {
                answer.signs.says_missing = Some("Page not found".into());
                answer.truncated = true;
            });
            assert_eq!(judge(&example.asked()), Judgement::broken(cause));
        }
    }

    #[test]
    fn every_status_has_a_verdict_and_none_below_400_but_redirects_is_an_error() {
        for status in 100..1000 {
            for example in [answers(status), answers(status).own()] {
                let Judgement { verdict, cause } = judge(&example.asked());
                let is_fine = (200..=300).contains(&status);
                assert_eq!(is_fine, verdict == super::super::Verdict::Sound, "{status}");
                assert_eq!(is_fine, cause.is_none(), "{status}");
            }
        }
    }
}
