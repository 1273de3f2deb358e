//! From what was seen to what is said: one decision table, each row with a test.
//!
//! The rule behind the rows: say broken only what a visitor would find broken,
//! and show why; when a robot cannot know, say doubtful; what was not looked at,
//! count.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::outcome::{DnsFailure, Ending, Failure, TlsFailure};
use crate::scope::Scope;

/// What the evidence says of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// A visitor gets what the link promises.
    Sound,
    /// Not asked, and the cause says why.
    Skipped,
    /// It works, and has a new address for good.
    Moved,
    /// A robot cannot know; a person should look.
    Doubtful,
    /// A visitor would find it broken.
    Broken,
}

impl Verdict {
    /// All of them, the worst first.
    pub const ALL: [Verdict; 5] =
        [Verdict::Broken, Verdict::Doubtful, Verdict::Moved, Verdict::Sound, Verdict::Skipped];

    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Verdict::Broken => "broken",
            Verdict::Doubtful => "doubtful",
            Verdict::Moved => "moved",
            Verdict::Sound => "sound",
            Verdict::Skipped => "skipped",
        }
    }

    /// The verdict of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Verdict> {
        Verdict::ALL.into_iter().find(|verdict| verdict.as_str() == name)
    }
}

impl fmt::Display for Verdict {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

macro_rules! causes {
    ($($(#[$doc:meta])* $name:ident = $word:literal;)*) => {
        /// Why a verdict is what it is.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Cause { $($(#[$doc])* $name,)* }

        impl Cause {
            /// All of them.
            pub const ALL: &'static [Cause] = &[$(Cause::$name,)*];

            /// The word for it in every output: a fixed name in kebab case.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self { $(Cause::$name => $word,)* }
            }
        }
    };
}

causes! {
    /// Not an address that a browser can open.
    MalformedUrl = "malformed-url";
    /// An address that is not asked over HTTP.
    OtherScheme = "other-scheme";
    /// Left out by a rule of the settings.
    Excluded = "excluded";
    /// External, and externals were only to be noted.
    External = "external";
    /// Beyond a limit that was set.
    Limit = "limit";
    /// One of addresses without end.
    Trap = "trap";
    /// A link for programs, not for visitors.
    ServiceLink = "service-link";
    /// Leads into a private network.
    PrivateAddress = "private-address";
    /// DNS says that there is no such name.
    Nxdomain = "nxdomain";
    /// The name has no address records.
    NoAddress = "no-address";
    /// DNS failed or stayed silent.
    DnsFailure = "dns-failure";
    /// The connection was refused.
    ConnectionRefused = "connection-refused";
    /// The connection was reset.
    ConnectionReset = "connection-reset";
    /// No way leads there.
    Unreachable = "unreachable";
    /// No answer in time.
    Timeout = "timeout";
    /// The certificate's time is over or has not begun.
    TlsExpired = "tls-expired";
    /// The certificate is for another host.
    TlsWrongHost = "tls-wrong-host";
    /// The certificate is signed by itself.
    TlsUntrusted = "tls-untrusted";
    /// The certificate's issuer is unknown.
    TlsChain = "tls-chain";
    /// No protocol version or cipher in common.
    TlsUnsupported = "tls-unsupported";
    /// Another failure of TLS.
    TlsFailure = "tls-failure";
    /// The answer is not HTTP.
    BadResponse = "bad-response";
    /// The body ended early.
    Truncated = "truncated";
    /// Redirects lead round in a circle.
    RedirectLoop = "redirect-loop";
    /// Too many redirects.
    RedirectLimit = "redirect-limit";
    /// A redirect without a usable `Location`.
    BadRedirect = "bad-redirect";
    /// 404.
    NotFound = "not-found";
    /// 410.
    Gone = "gone";
    /// 401 or 407.
    LoginNeeded = "login-needed";
    /// Refused, to a robot at least.
    AccessRefused = "access-refused";
    /// The host seems to refuse us.
    Blocking = "blocking";
    /// The host is too busy.
    Busy = "busy";
    /// Another 4xx.
    ClientError = "client-error";
    /// 5xx.
    ServerError = "server-error";
    /// The page has no such place.
    NoSuchFragment = "no-such-fragment";
    /// Moved for good.
    MovedPermanently = "moved-permanently";
    /// Sound, by way of a temporary redirect.
    Redirected = "redirected";
    /// The run ended before it was asked.
    NotAsked = "not-asked";
}

impl Cause {
    /// The cause of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Cause> {
        Cause::ALL.iter().copied().find(|cause| cause.as_str() == name)
    }
}

impl fmt::Display for Cause {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// A verdict with its cause. A plain sound answer has none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judgement {
    /// What is said.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
}

impl Judgement {
    const fn of(verdict: Verdict, cause: Cause) -> Judgement {
        Judgement { verdict, cause: Some(cause) }
    }

    /// Broken, for this cause.
    #[must_use]
    pub const fn broken(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Broken, cause)
    }

    /// Doubtful, for this cause.
    #[must_use]
    pub const fn doubtful(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Doubtful, cause)
    }

    /// Skipped, for this cause.
    #[must_use]
    pub const fn skipped(cause: Cause) -> Judgement {
        Judgement::of(Verdict::Skipped, cause)
    }
}

/// How an address was come by, on the way to its last answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// It answered itself.
    Direct,
    /// By redirects, the first of them for good.
    Permanent,
    /// By redirects, the first of them for now.
    Temporary,
}

/// What the last answer or failure says of an address, redirects aside.
///
/// `scope` is that of the address that answered.
#[must_use]
pub fn judge(last: &Ending, way: Way, scope: Scope) -> Judgement {
    match last {
        Ending::Failure(failure) => judge_failure(failure),
        Ending::Answer(answer) if (200..300).contains(&answer.status) && answer.truncated => {
            Judgement::doubtful(Cause::Truncated)
        }
        Ending::Answer(answer) => judge_status(answer.status, way, scope),
    }
}

fn judge_status(status: u16, way: Way, scope: Scope) -> Judgement {
    match status {
        // 300 is a page that offers a choice (RFC 9110 §15.4.1): a visitor can read it.
        200..=300 => match way {
            Way::Direct => Judgement { verdict: Verdict::Sound, cause: None },
            Way::Temporary => Judgement::of(Verdict::Sound, Cause::Redirected),
            Way::Permanent => Judgement::of(Verdict::Moved, Cause::MovedPermanently),
        },
        301..=303 | 307 | 308 => Judgement::broken(Cause::BadRedirect),
        404 => Judgement::broken(Cause::NotFound),
        410 => Judgement::broken(Cause::Gone),
        401 | 407 => Judgement::doubtful(Cause::LoginNeeded),
        403 | 405 if scope == Scope::Internal => Judgement::broken(Cause::AccessRefused),
        402 | 403 | 405 | 418 | 444 | 451 => Judgement::doubtful(Cause::AccessRefused),
        429 => Judgement::doubtful(Cause::Busy),
        status if !is_registered(status) => Judgement::doubtful(Cause::AccessRefused),
        400..=499 => Judgement::broken(Cause::ClientError),
        500..=599 => Judgement::broken(Cause::ServerError),
        _ => Judgement::broken(Cause::BadResponse),
    }
}

/// Whether a status from 300 on stands in IANA's registry of HTTP status codes.
fn is_registered(status: u16) -> bool {
    matches!(status, 300..=308 | 400..=417 | 421..=426 | 428 | 429 | 431 | 451 | 500..=508 | 510 | 511)
        || status < 300
}

fn judge_failure(failure: &Failure) -> Judgement {
    match failure {
        Failure::Dns(DnsFailure::NoSuchName) => Judgement::broken(Cause::Nxdomain),
        Failure::Dns(DnsFailure::NoAddress) => Judgement::broken(Cause::NoAddress),
        Failure::Dns(_) => Judgement::broken(Cause::DnsFailure),
        Failure::Timeout(_) => Judgement::broken(Cause::Timeout),
        Failure::Refused => Judgement::broken(Cause::ConnectionRefused),
        Failure::Reset => Judgement::broken(Cause::ConnectionReset),
        Failure::Unreachable => Judgement::broken(Cause::Unreachable),
        Failure::Tls(failure) => judge_tls(failure),
        Failure::BadResponse(_) => Judgement::broken(Cause::BadResponse),
        Failure::Private(_) => Judgement::doubtful(Cause::PrivateAddress),
    }
}

fn judge_tls(failure: &TlsFailure) -> Judgement {
    match failure {
        TlsFailure::Expired | TlsFailure::NotYetValid => Judgement::broken(Cause::TlsExpired),
        TlsFailure::WrongHost => Judgement::broken(Cause::TlsWrongHost),
        TlsFailure::SelfSigned => Judgement::broken(Cause::TlsUntrusted),
        TlsFailure::UnknownIssuer => Judgement::doubtful(Cause::TlsChain),
        TlsFailure::Unsupported => Judgement::doubtful(Cause::TlsUnsupported),
        TlsFailure::Other(_) => Judgement::broken(Cause::TlsFailure),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::outcome::{Answer, Stage};

    fn words(judgement: Judgement) -> String {
        let cause = judgement.cause.map_or("-", Cause::as_str);
        format!("{} {cause}", judgement.verdict)
    }

    fn answer(status: u16) -> Ending {
        Ending::Answer(Answer { status, ..Answer::default() })
    }

    #[test]
    fn statuses() {
        for (status, internal, external) in [
            (200, "sound -", "sound -"),
            (204, "sound -", "sound -"),
            (301, "broken bad-redirect", "broken bad-redirect"),
            (400, "broken client-error", "broken client-error"),
            (401, "doubtful login-needed", "doubtful login-needed"),
            (402, "doubtful access-refused", "doubtful access-refused"),
            (403, "broken access-refused", "doubtful access-refused"),
            (404, "broken not-found", "broken not-found"),
            (405, "broken access-refused", "doubtful access-refused"),
            (407, "doubtful login-needed", "doubtful login-needed"),
            (410, "broken gone", "broken gone"),
            (418, "doubtful access-refused", "doubtful access-refused"),
            (422, "broken client-error", "broken client-error"),
            (429, "doubtful busy", "doubtful busy"),
            (451, "doubtful access-refused", "doubtful access-refused"),
            (500, "broken server-error", "broken server-error"),
            (503, "broken server-error", "broken server-error"),
            (520, "doubtful access-refused", "doubtful access-refused"),
            (999, "doubtful access-refused", "doubtful access-refused"),
        ] {
            let seen = |scope| words(judge(&answer(status), Way::Direct, scope));
            assert_eq!(seen(Scope::Internal), internal, "{status} internal");
            assert_eq!(seen(Scope::External), external, "{status} external");
        }
    }

    #[test]
    fn the_way_tells_moved_from_redirected() {
        let seen = |status, way| words(judge(&answer(status), way, Scope::External));
        assert_eq!(seen(200, Way::Permanent), "moved moved-permanently");
        assert_eq!(seen(200, Way::Temporary), "sound redirected");
        assert_eq!(seen(404, Way::Permanent), "broken not-found");
    }

    #[test]
    fn failures() {
        for (failure, expected) in [
            (Failure::Dns(DnsFailure::NoSuchName), "broken nxdomain"),
            (Failure::Dns(DnsFailure::NoAddress), "broken no-address"),
            (Failure::Dns(DnsFailure::Silence), "broken dns-failure"),
            (Failure::Dns(DnsFailure::ServerFailure("SERVFAIL".into())), "broken dns-failure"),
            (Failure::Timeout(Stage::FirstByte), "broken timeout"),
            (Failure::Refused, "broken connection-refused"),
            (Failure::Reset, "broken connection-reset"),
            (Failure::Unreachable, "broken unreachable"),
            (Failure::Tls(TlsFailure::Expired), "broken tls-expired"),
            (Failure::Tls(TlsFailure::NotYetValid), "broken tls-expired"),
            (Failure::Tls(TlsFailure::WrongHost), "broken tls-wrong-host"),
            (Failure::Tls(TlsFailure::SelfSigned), "broken tls-untrusted"),
            (Failure::Tls(TlsFailure::UnknownIssuer), "doubtful tls-chain"),
            (Failure::Tls(TlsFailure::Unsupported), "doubtful tls-unsupported"),
            (Failure::Tls(TlsFailure::Other(String::new())), "broken tls-failure"),
            (Failure::BadResponse(String::new()), "broken bad-response"),
            (Failure::Private([10, 0, 0, 1].into()), "doubtful private-address"),
        ] {
            let seen =
                words(judge(&Ending::Failure(failure.clone()), Way::Direct, Scope::External));
            assert_eq!(seen, expected, "{failure:?}");
        }
    }

    #[test]
    fn a_body_cut_short_is_doubtful_and_keeps_a_worse_status() {
        let cut = |status| {
            let ending = Ending::Answer(Answer { status, truncated: true, ..Answer::default() });
            words(judge(&ending, Way::Direct, Scope::Internal))
        };
        assert_eq!(cut(200), "doubtful truncated");
        assert_eq!(cut(404), "broken not-found");
    }

    #[test]
    fn every_cause_can_be_found_by_its_name() {
        for &cause in Cause::ALL {
            assert_eq!(Cause::named(cause.as_str()), Some(cause));
        }
    }
}
