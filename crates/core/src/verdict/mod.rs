//! From what was seen to what is said: decision tables, of which the first row that
//! fits counts, each row with an example that is its test.
//!
//! The rule behind the rows: say broken only what a visitor would find broken,
//! and show why; when a robot cannot know, say doubtful; what was not looked at,
//! count. [`judge`] judges addresses that were asked, [`of_link`] what a link may
//! have beside its address.

#[macro_use]
mod table;
mod asked;
mod link;

use std::fmt;

use serde::{Deserialize, Serialize};

pub use asked::{Asked, Clues, Hops, Way, judge};
pub use link::{LinkSeen, of_link};

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
    /// Another answer than the settings expect.
    NotAsExpected = "not-as-expected";
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
    /// Names what is to be deleted, left or bought.
    Acts = "acts";
    /// Leads into a private network.
    PrivateAddress = "private-address";
    /// DNS says that there is no such name.
    Nxdomain = "nxdomain";
    /// The name has no address records.
    NoAddress = "no-address";
    /// The name has IPv6 addresses alone, and there is no IPv6 here.
    NoIpv6 = "no-ipv6";
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
    /// The line seems to be down.
    Offline = "offline";
    /// The host is too busy.
    Busy = "busy";
    /// Another 4xx.
    ClientError = "client-error";
    /// 5xx.
    ServerError = "server-error";
    /// A page that says, with a good status, that it is missing.
    Soft404 = "soft-404";
    /// Sent from a deeper address to the site's home page.
    RedirectedHome = "redirected-home";
    /// Sent to a page where visitors log in.
    RedirectedLogin = "redirected-login";
    /// Sent to a host that asks for consent.
    ConsentWall = "consent-wall";
    /// The page has no such place.
    NoSuchFragment = "no-such-fragment";
    /// A page where a picture, a style sheet or a script is wanted.
    WrongType = "wrong-type";
    /// Named by http on a page of https, so that browsers refuse it.
    MixedContent = "mixed-content";
    /// A link that leads nowhere.
    Placeholder = "placeholder";
    /// Moved for good.
    MovedPermanently = "moved-permanently";
    /// Sound, by way of a temporary redirect.
    Redirected = "redirected";
    /// The run ended before it was asked.
    NotAsked = "not-asked";
    /// This program failed on it.
    InternalError = "internal-error";
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_cause_can_be_found_by_its_name() {
        for &cause in Cause::ALL {
            assert_eq!(Cause::named(cause.as_str()), Some(cause));
        }
    }
}
