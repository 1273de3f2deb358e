//! The table of verdicts on requested URLs.

use url::{Host, Url};

use super::Judgement;
use crate::evidence::landing::RedirectLanding;
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, ResponseHead, TlsFailure};
use crate::url::network::is_loopback;
use crate::url::scope::Scope;

/// How the final response was reached.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Route {
    /// Directly.
    #[default]
    Direct,
    /// Through redirects, the first of them permanent.
    Permanent,
    /// Through redirects, the first of them temporary.
    Temporary,
}

/// What is wrong with the redirects themselves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum ChainFault {
    /// Nothing.
    #[default]
    None,
    /// They come back to where they were, with the same cookies.
    Loop,
    /// There are too many.
    TooMany,
}

/// What is known apart from the response.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct JudgeContext {
    /// The network seems to be down.
    pub offline: bool,
    /// The host now refuses every request.
    pub blocked: bool,
    /// Its host never responds: it was not requested (again).
    pub given_up: bool,
    /// A page of the host that had worked before worked right after this response.
    pub well_again: bool,
    /// The body is like that of a nonexistent test URL.
    pub like_missing_page: bool,
    /// Its host responds 404 to everything, even to a request for its home page.
    pub all_missing: bool,
    /// Its host fails at random, and it may have failed by chance.
    pub by_chance: bool,
    /// What kind of page redirects have led to.
    pub landing: Option<RedirectLanding>,
    /// What is wrong with the redirects.
    pub hops: ChainFault,
    /// The request went through a proxy.
    pub proxied: bool,
    /// The status that the settings expect of this URL.
    pub expected: Option<u16>,
}

/// The evidence about a URL.
#[derive(Debug, Clone, Copy)]
pub struct UrlEvidence<'a> {
    /// The URL that responded or failed.
    pub url: &'a str,
    /// Its last response or failure.
    pub outcome: &'a AttemptOutcome,
    /// How it was reached.
    pub route: Route,
    /// The scope of that URL.
    pub scope: Scope,
    /// What is known apart from the response.
    pub context: JudgeContext,
}

impl UrlEvidence<'_> {
    fn head(&self) -> Option<&ResponseHead> {
        match self.outcome {
            AttemptOutcome::Response(head) => Some(head),
            AttemptOutcome::Failure(_) => None,
        }
    }

    fn has(&self, fits: impl Fn(&ResponseHead) -> bool) -> bool {
        self.head().is_some_and(fits)
    }

    fn status(&self, statuses: &[u16]) -> bool {
        self.has(|head| statuses.contains(&head.status))
    }

    fn failed(&self, fits: impl Fn(&Failure) -> bool) -> bool {
        matches!(self.outcome, AttemptOutcome::Failure(failure) if fits(failure))
    }

    fn is(&self, failure: &Failure) -> bool {
        self.failed(|url| url == failure)
    }

    fn tls(&self, fits: impl Fn(&TlsFailure) -> bool) -> bool {
        self.failed(|failure| matches!(failure, Failure::Tls(tls) if fits(tls)))
    }

    fn is_own(&self) -> bool {
        self.scope == Scope::Internal
    }

    /// The URL has a private IP address, or names this machine.
    fn names_private(&self) -> bool {
        Url::parse(self.url)
            .is_ok_and(|url| is_loopback(&url) || !matches!(url.host(), Some(Host::Domain(_))))
    }

    /// 300 is a page that offers a choice (RFC 9110 §15.4.1): a visitor can read it.
    fn is_good(&self) -> bool {
        self.has(|head| (200..=300).contains(&head.status))
    }
}

/// The verdict on a URL that was requested.
///
/// ```
/// use rummage_core::evidence::{AttemptOutcome, ResponseHead};
/// use rummage_core::url::scope::Scope;
/// use rummage_core::verdict::{Cause, JudgeContext, Route, UrlEvidence, Verdict, judge};
///
/// let head = ResponseHead { status: 410, ..ResponseHead::default() };
/// let judgement = judge(&UrlEvidence {
///     url: "http://b.test/old",
///     outcome: &AttemptOutcome::Response(head),
///     route: Route::Direct,
///     scope: Scope::External,
///     context: JudgeContext::default(),
/// });
/// assert_eq!((judgement.verdict, judgement.cause), (Verdict::Broken, Some(Cause::Gone)));
/// ```
#[must_use]
pub fn judge(url: &UrlEvidence<'_>) -> Judgement {
    let judgement = ROWS
        .iter()
        .find(|row| (row.fits)(url))
        .map_or(Judgement::broken(super::Cause::BadResponse), |row| row.judgement);
    let is_temporary = judgement.cause.is_some_and(super::Cause::is_temporary);
    match judgement.verdict {
        super::Verdict::Broken if url.context.by_chance && is_temporary => {
            Judgement { verdict: super::Verdict::Doubtful, ..judgement }
        }
        _ => judgement,
    }
}

table! {
    |url: UrlEvidence<'_>| examples of Example;

    as_expected: Sound() if url.context.expected.is_some_and(|status| url.status(&[status])),
        as in responds(403).own().context(|context| context.expected = Some(403)),
              responds(404).context(|context| context.expected = Some(404));
    not_as_expected: Broken(NotAsExpected)
        if url.context.expected.is_some() && url.has(|head| !head.may_pass()),
        as in responds(200).context(|context| context.expected = Some(410));

    internal_error: Doubtful(InternalError) if url.failed(|f| matches!(f, Failure::Internal(_))),
        as in fails(Failure::Internal("a bound was wrong".into()));
    offline: Doubtful(Offline) if url.context.offline,
        as in fails(Failure::Unreachable).context(|context| context.offline = true);
    blocked: Doubtful(Blocking) if url.context.blocked,
        as in responds(403).context(|context| context.blocked = true),
              fails(Failure::Reset).own().context(|context| context.blocked = true);
    challenge: Doubtful(Blocking)
        if url.has(|head| head.challenge || head.signs.challenge),
        as in responds(403).head(|head| head.challenge = true),
              responds(200).head(|head| head.signs.challenge = true),
              responds(503).head(|head| head.signs.challenge = true);
    given_up: Doubtful(Timeout) if url.context.given_up,
        as in fails(Failure::Timeout(Stage::Connect)).context(|context| context.given_up = true);
    names_private: Broken(PrivateAddress)
        if url.failed(|f| matches!(f, Failure::Private(_))) && url.names_private(),
        as in fails(private()).at("http://192.168.1.1/"), fails(private()).at("http://localhost:8000/"),
              fails(private()).at("http://[fd00::1]/");
    leads_to_private: Doubtful(PrivateAddress)
        if url.failed(|f| matches!(f, Failure::Private(_) | Failure::PrivateName)),
        as in fails(private()).at("http://intranet.b.test/"),
              fails(Failure::PrivateName).at("http://wiki.internal/");
    leads_out_of_folder: Doubtful(OutOfFolder) if url.failed(|f| *f == Failure::OutOfFolder),
        as in fails(Failure::OutOfFolder).own();

    proxy_has_no_name: Doubtful(DnsFailure)
        if url.context.proxied && url.failed(|f| matches!(f, Failure::Dns(_))),
        as in fails(Failure::Dns(DnsFailure::NoSuchName)).context(|context| context.proxied = true);
    proxy_has_no_answer: Doubtful(ServerError) if url.context.proxied && url.status(&[502, 504]),
        as in responds(502).context(|context| context.proxied = true),
              responds(504).context(|context| context.proxied = true);
    proxy_failed: Doubtful(Unreachable) if url.failed(|f| matches!(f, Failure::Proxy(_))),
        as in fails(Failure::Proxy("the proxy could not connect".into()));

    no_such_name: Broken(Nxdomain) if url.is(&Failure::Dns(DnsFailure::NoSuchName)),
        as in fails(Failure::Dns(DnsFailure::NoSuchName));
    no_address: Broken(NoAddress) if url.is(&Failure::Dns(DnsFailure::NoAddress)),
        as in fails(Failure::Dns(DnsFailure::NoAddress));
    no_ipv6: Doubtful(NoIpv6) if url.is(&Failure::NoIpv6),
        as in fails(Failure::NoIpv6);
    dns_failed: Broken(DnsFailure) if url.failed(|f| matches!(f, Failure::Dns(_))),
        as in fails(Failure::Dns(DnsFailure::Silence)),
              fails(Failure::Dns(DnsFailure::ServerFailure("SERVFAIL".into())));
    refused: Broken(ConnectionRefused) if url.is(&Failure::Refused),
        as in fails(Failure::Refused);
    reset: Broken(ConnectionReset) if url.is(&Failure::Reset),
        as in fails(Failure::Reset);
    unreachable: Broken(Unreachable) if url.is(&Failure::Unreachable),
        as in fails(Failure::Unreachable);
    timeout: Broken(Timeout) if url.failed(|f| matches!(f, Failure::Timeout(_))),
        as in fails(Failure::Timeout(Stage::Connect)), fails(Failure::Timeout(Stage::Tls)),
              fails(Failure::Timeout(Stage::FirstByte)), fails(Failure::Timeout(Stage::Body));

    tls_expired: Broken(TlsExpired)
        if url.tls(|f| matches!(f, TlsFailure::Expired | TlsFailure::NotYetValid)),
        as in fails(Failure::Tls(TlsFailure::Expired)), fails(Failure::Tls(TlsFailure::NotYetValid));
    tls_wrong_host: Broken(TlsWrongHost) if url.tls(|f| *f == TlsFailure::WrongHost),
        as in fails(Failure::Tls(TlsFailure::WrongHost));
    tls_self_signed: Broken(TlsUntrusted) if url.tls(|f| *f == TlsFailure::SelfSigned),
        as in fails(Failure::Tls(TlsFailure::SelfSigned));
    tls_unknown_issuer: Doubtful(TlsChain) if url.tls(|f| *f == TlsFailure::UnknownIssuer),
        as in fails(Failure::Tls(TlsFailure::UnknownIssuer));
    tls_nothing_common: Doubtful(TlsUnsupported) if url.tls(|f| *f == TlsFailure::Unsupported),
        as in fails(Failure::Tls(TlsFailure::Unsupported));
    tls_failed: Broken(TlsFailure) if url.tls(|_| true),
        as in fails(Failure::Tls(TlsFailure::NotTls)),
              fails(Failure::Tls(TlsFailure::Other("unexpected message".into())));

    not_http: Broken(BadResponse) if url.failed(|f| matches!(f, Failure::BadResponse(_))),
        as in fails(Failure::BadResponse("invalid HTTP version parsed".into()));
    cut_short: Doubtful(Truncated) if url.is_good() && url.has(|head| head.truncated),
        as in responds(200).head(|head| head.truncated = true);

    redirect_loop: Broken(RedirectLoop) if url.context.hops == ChainFault::Loop,
        as in responds(302).context(|context| context.hops = ChainFault::Loop);
    redirect_limit: Broken(RedirectLimit) if url.context.hops == ChainFault::TooMany,
        as in responds(302).context(|context| context.hops = ChainFault::TooMany);
    redirect_nowhere: Broken(BadRedirect) if url.has(ResponseHead::is_redirect),
        as in responds(301), responds(302), responds(303), responds(307), responds(308);

    all_missing: Doubtful(Blocking) if url.context.all_missing && url.status(&[404]),
        as in responds(404).context(|context| context.all_missing = true);
    not_found: Broken(NotFound) if url.status(&[404]), as in responds(404), responds(404).own();
    gone: Broken(Gone) if url.status(&[410]), as in responds(410);
    login_needed: Doubtful(LoginNeeded) if url.status(&[401, 407]), as in responds(401), responds(407).own();

    own_access_refused: Broken(AccessRefused)
        if url.is_own() && url.status(&[403, 405]) && url.context.well_again,
        as in responds(403).own().context(|context| context.well_again = true),
              responds(405).own().context(|context| context.well_again = true);
    own_site_refuses_us: Doubtful(Blocking) if url.is_own() && url.status(&[403, 405]),
        as in responds(403).own(), responds(405).own();
    access_refused: Doubtful(AccessRefused)
        if url.status(&[402, 403, 405, 418, 444, 451]) || url.has(|head| !is_registered(head.status)),
        as in responds(403), responds(405), responds(451), responds(402), responds(418), responds(444),
              responds(451).own(), responds(999), responds(520).own();

    too_many_requests: Doubtful(Busy) if url.status(&[429]), as in responds(429), responds(429).own();
    busy: Doubtful(Busy) if url.has(|head| head.status == 503 && head.retry_after.is_some()),
        as in responds(503).head(|head| head.retry_after = Some(3600));
    client_error: Broken(ClientError) if url.has(|head| (400..500).contains(&head.status)),
        as in responds(400), responds(422), responds(431).own();
    server_error: Broken(ServerError) if url.has(|head| (500..600).contains(&head.status)),
        as in responds(500), responds(502).own(), responds(503);

    says_missing: Doubtful(Soft404)
        if url.is_good() && url.has(|head| head.signs.says_missing.is_some()),
        as in responds(200).head(|head| head.signs.says_missing = Some("Page not found".into()));
    parked: Doubtful(Parked) if url.is_good() && url.has(|head| head.signs.parked),
        as in responds(200).head(|head| head.signs.parked = true),
              responds(200).by(Route::Permanent).head(|head| head.signs.parked = true);
    like_missing_page: Doubtful(Soft404) if url.is_good() && url.context.like_missing_page,
        as in responds(200).own().context(|context| context.like_missing_page = true);
    sent_home: Doubtful(RedirectedHome) if url.is_good() && url.context.landing == Some(RedirectLanding::Home),
        as in responds(200).by(Route::Permanent).context(|context| context.landing = Some(RedirectLanding::Home));
    sent_to_login: Doubtful(RedirectedLogin) if url.is_good() && url.context.landing == Some(RedirectLanding::Login),
        as in responds(200).by(Route::Temporary).context(|context| context.landing = Some(RedirectLanding::Login));
    sent_to_consent: Doubtful(ConsentWall) if url.is_good() && url.context.landing == Some(RedirectLanding::Consent),
        as in responds(200).by(Route::Temporary).context(|context| context.landing = Some(RedirectLanding::Consent));
    moved: Moved(MovedPermanently) if url.is_good() && url.route == Route::Permanent,
        as in responds(200).by(Route::Permanent);
    redirected: Sound(Redirected) if url.is_good() && url.route == Route::Temporary,
        as in responds(200).by(Route::Temporary);
    sound: Sound() if url.is_good(), as in responds(200), responds(204).own(), responds(300);

    // 1xx as a final response, and 304 and 305, which were not requested.
    no_last_word: Broken(BadResponse) if !url.is_good(), as in responds(101), responds(304);
}

/// Whether a status is in IANA's registry of HTTP status codes.
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
    url: &'static str,
    outcome: AttemptOutcome,
    route: Route,
    scope: Scope,
    context: JudgeContext,
}

#[cfg(test)]
fn url(outcome: AttemptOutcome) -> Example {
    let (route, context) = (Route::Direct, JudgeContext::default());
    Example { url: "http://b.test/x", outcome, route, scope: Scope::External, context }
}

#[cfg(test)]
fn responds(status: u16) -> Example {
    url(AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() }))
}

#[cfg(test)]
fn fails(failure: Failure) -> Example {
    url(AttemptOutcome::Failure(failure))
}

#[cfg(test)]
impl Example {
    fn own(self) -> Example {
        Example { scope: Scope::Internal, ..self }
    }

    fn at(self, url: &'static str) -> Example {
        Example { url, ..self }
    }

    fn by(self, route: Route) -> Example {
        Example { route, ..self }
    }

    fn context(mut self, set: impl FnOnce(&mut JudgeContext)) -> Example {
        set(&mut self.context);
        self
    }

    fn head(mut self, set: impl FnOnce(&mut ResponseHead)) -> Example {
        if let AttemptOutcome::Response(head) = &mut self.outcome {
            set(head);
        }
        self
    }

    fn evidence(&self) -> UrlEvidence<'_> {
        let Example { url, ref outcome, route, scope, context } = *self;
        UrlEvidence { url, outcome, route, scope, context }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_row_is_the_first_to_match_its_examples() {
        for (row, example) in examples() {
            let evidence = example.evidence();
            let first = ROWS.iter().find(|row| (row.fits)(&evidence));
            assert_eq!(first.map(|row| row.name), Some(row), "{evidence:?}");
            assert_eq!(Some(judge(&evidence)), first.map(|row| row.judgement));
        }
    }

    #[test]
    fn a_bad_status_counts_whatever_the_page_says() {
        for (status, cause) in
            [(404, super::super::Cause::NotFound), (500, super::super::Cause::ServerError)]
        {
            let example = responds(status).head(|head| {
                head.signs.says_missing = Some("Page not found".into());
                head.truncated = true;
            });
            assert_eq!(judge(&example.evidence()), Judgement::broken(cause));
        }
    }

    #[test]
    fn every_status_has_a_verdict_and_below_400_only_redirects_may_be_errors() {
        for status in 100..1000 {
            for example in [responds(status), responds(status).own()] {
                let Judgement { verdict, cause } = judge(&example.evidence());
                let is_fine = (200..=300).contains(&status);
                assert_eq!(is_fine, verdict == super::super::Verdict::Sound, "{status}");
                assert_eq!(is_fine, cause.is_none(), "{status}");
            }
        }
    }
}
