//! The causes: one table, of which each row says all that is to be known of a cause.

use std::fmt;

/// How long what a cause says may hold, and of what it is said.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Nature {
    /// It holds until someone changes something.
    Lasting,
    /// It may be gone the next time.
    Temporary,
    /// It says more of the moment than of the link: it makes nothing newly broken, and fixes
    /// nothing.
    Momentary,
    /// It is of a link, and not of the URL that it names.
    OfLink,
}

/// Writes [`Cause`] and its table. A row reads
/// `Name = "key", Nature, "words", "meaning" ["advice"];`.
macro_rules! causes {
    ($($(#[$doc:meta])* $name:ident = $key:literal, $nature:ident, $words:literal, $means:literal
        [$($advice:literal)?];)*) => {
        /// Why a verdict is what it is.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Cause { $($(#[$doc])* $name,)* }

        impl Cause {
            /// All of them.
            pub const ALL: &'static [Cause] = &[$(Cause::$name,)*];

            fn row(self) -> Row {
                match self {
                    $(Cause::$name => Row {
                        key: $key,
                        nature: Nature::$nature,
                        words: $words,
                        means: $means,
                        advice: causes!(@advice $($advice)?),
                    },)*
                }
            }
        }
    };
    (@advice $advice:literal) => { Some($advice) };
    (@advice) => { None };
}

/// What is to be known of a cause.
struct Row {
    key: &'static str,
    nature: Nature,
    words: &'static str,
    means: &'static str,
    advice: Option<&'static str>,
}

causes! {
    /// Another answer than the settings expect.
    NotAsExpected = "not-as-expected", Lasting, "not the answer that is expected",
        "The settings say which answer this address is meant to give, and it gave another."
        ["look at what has changed."];
    /// Not an address that a browser can open.
    MalformedUrl = "malformed-url", Lasting, "not an address that a browser can open",
        "A browser cannot open this address: the scheme is misspelt, the host cannot be one, the \
         port is no port, or a mailto: names nobody."
        ["correct the spelling."];
    /// An address that is not asked over HTTP.
    OtherScheme = "other-scheme", Lasting, "not asked over HTTP",
        "It is not asked over HTTP: mail, telephone, a script."
        [];
    /// Left out by a rule of the settings.
    Excluded = "excluded", Lasting, "left out by a rule",
        "A rule leaves it out: --exclude, --ask-elements."
        [];
    /// External, and externals were only to be noted.
    External = "external", Lasting, "external, only noted",
        "It is outside the site, and --externals note was given."
        [];
    /// Beyond a limit that was set.
    Limit = "limit", Lasting, "beyond a limit that was set",
        "It lies beyond --max-pages."
        [];
    /// One of addresses without end.
    Trap = "trap", Lasting, "without end",
        "It is one of addresses without end, such as the days of a calendar."
        [];
    /// A link for programs, not for visitors.
    ServiceLink = "service-link", Lasting, "for programs, not for visitors",
        "It is for programs, not for visitors: pingback, preconnect and the like."
        [];
    /// Names what is to be deleted, left or bought.
    Acts = "acts", Lasting, "names what would be done by asking",
        "Credentials or cookies were given, and the address names what would be deleted, left or \
         bought by asking it."
        [];
    /// Leads into a private network.
    PrivateAddress = "private-address", Lasting, "leads into a private network",
        "It leads into a private network or to the visitor's own machine: a leftover from \
         building the site, as a rule. Where the address itself says so it is broken; where a \
         public name leads there, doubtful. Nothing was asked."
        ["put the public address in its place, or use --allow-private inside that network."];
    /// DNS says that there is no such name.
    Nxdomain = "nxdomain", Lasting, "no such host name",
        "There is no such host name (DNS: NXDOMAIN), asked twice."
        ["look for a slip in the name; else the site has gone, and the link with it."];
    /// The name has no address records.
    NoAddress = "no-address", Lasting, "the host name has no address",
        "The host name exists, and has no address records (RFC 1035 A, RFC 3596 AAAA)."
        ["look for a slip in the name, such as a missing www.."];
    /// The name has IPv6 addresses alone, and there is no IPv6 here.
    NoIpv6 = "no-ipv6", Lasting, "reachable by IPv6 alone",
        "The host has IPv6 addresses alone, and there is no IPv6 on this machine."
        ["check from a machine with IPv6."];
    /// DNS failed or stayed silent.
    DnsFailure = "dns-failure", Temporary, "the name server failed",
        "The name server of that host failed or stayed silent, each time it was asked."
        ["try again later; if it stays, tell the host's owner. Behind a proxy it is the proxy's \
         word, and doubtful."];
    /// The connection was refused.
    ConnectionRefused = "connection-refused", Temporary, "connection refused",
        "The machine is there, and nothing listens on that port."
        ["check the port; else the server is down: try again later."];
    /// The connection was reset.
    ConnectionReset = "connection-reset", Temporary, "connection reset",
        "The server ends the connection before it has answered."
        ["try it in a browser; some servers treat robots so."];
    /// No way leads there.
    Unreachable = "unreachable", Temporary, "network unreachable",
        "No way leads to the server's network, or to or from a proxy."
        ["try again from another network."];
    /// No answer in time.
    Timeout = "timeout", Temporary, "no answer in time",
        "No answer came in time: to the connection, the TLS handshake, the request, or to the \
         end of the page. Doubtful where other addresses of the same server hung as well, and \
         this one was not asked to the end."
        ["try it in a browser; --timeout gives it longer."];
    /// The certificate's time is over or has not begun.
    TlsExpired = "tls-expired", Lasting, "certificate out of date",
        "The certificate is out of date, or not valid yet; browsers warn their visitors."
        ["on your own site, renew it; else leave the link until its owner has."];
    /// The certificate is for another host.
    TlsWrongHost = "tls-wrong-host", Lasting, "certificate for another host",
        "The certificate is for other host names; browsers warn their visitors."
        ["look for the right name, with or without www.."];
    /// The certificate is signed by itself.
    TlsUntrusted = "tls-untrusted", Lasting, "certificate signed by itself",
        "The certificate is signed by itself; browsers warn their visitors."
        ["on your own site, get one from an authority; inside a company, --ca-cert trusts it."];
    /// The certificate's issuer is unknown.
    TlsChain = "tls-chain", Lasting, "certificate from an unknown issuer",
        "The certificate's issuer is unknown. The server often fails to send an intermediate \
         certificate, which browsers find elsewhere."
        ["on your own site, send the whole chain; else look in a browser."];
    /// No protocol version or cipher in common.
    TlsUnsupported = "tls-unsupported", Lasting, "no common TLS version or cipher",
        "The server speaks no version of TLS, or no cipher, that is still considered safe."
        ["look in a browser."];
    /// Another failure of TLS.
    TlsFailure = "tls-failure", Temporary, "TLS failed",
        "No secure connection could be made, for another reason: often the port speaks plain \
         HTTP."
        ["check the scheme and the port."];
    /// The answer is not HTTP.
    BadResponse = "bad-response", Lasting, "the answer is not HTTP",
        "What came back is not HTTP."
        ["check the port; it may belong to another service."];
    /// The body ended early.
    Truncated = "truncated", Temporary, "the answer was cut short",
        "The body ended before its announced length, or could not be decoded, each time."
        ["look at it in a browser; on your own site, look for scripts or caches that break off."];
    /// Redirects lead round in a circle.
    RedirectLoop = "redirect-loop", Lasting, "redirects in a circle",
        "Its redirects come back to where they were, with the same cookies."
        ["on your own site, follow the hops in rummage trace and break the circle."];
    /// Too many redirects.
    RedirectLimit = "redirect-limit", Lasting, "too many redirects",
        "More redirects than browsers follow."
        ["link to where they should end."];
    /// A redirect without a usable `Location`.
    BadRedirect = "bad-redirect", Lasting, "redirect to nowhere",
        "A redirect without a place to go to."
        ["on your own site, correct its Location; else link to where it should lead."];
    /// 404.
    NotFound = "not-found", Lasting, "not found",
        "The server says 404: it has nothing there. Asked twice."
        ["look for the new address; else take the link away."];
    /// 410.
    Gone = "gone", Lasting, "gone for good",
        "The server says 410: it was taken away on purpose."
        ["take the link away, or link to an archive."];
    /// 401 or 407.
    LoginNeeded = "login-needed", Lasting, "login needed",
        "The server wants to know who asks (401, 407)."
        ["if visitors are meant to log in, set it aside."];
    /// Refused, to a robot at least.
    AccessRefused = "access-refused", Lasting, "access refused",
        "The server refuses: to robots perhaps, or to everybody. On your own site it is broken \
         when the server was well at that very moment."
        ["look in a browser; on your own site, check the permissions."];
    /// The host seems to refuse us.
    Blocking = "blocking", Momentary, "the host refuses us, or is down",
        "The server refuses everything from some moment on, also what it had answered, or shows \
         a page that wants to see a person. It may treat all robots so, or be down."
        ["wait, then rummage crawl --resume, with --gentle; ask the owner to let the tool in."];
    /// The line seems to be down.
    Offline = "offline", Momentary, "the line seems to be down",
        "Nothing answered any more, nor did what had answered before: the line seems to be down."
        ["check the line, then rummage crawl --resume."];
    /// The host is too busy.
    Busy = "busy", Momentary, "the host is too busy",
        "The server has too much to do (429, or 503 with a time to come back)."
        ["try again after that time; --rate asks more slowly."];
    /// Another 4xx.
    ClientError = "client-error", Lasting, "request refused",
        "The server does not like the request (another 4xx)."
        ["look in a browser; the address may lack something."];
    /// 5xx.
    ServerError = "server-error", Temporary, "server error",
        "The server fails (5xx), each time it was asked. Behind a proxy, 502 and 504 are its \
         word, and doubtful."
        ["on your own site, look in the server's log; else try again later."];
    /// A page that says, with a good status, that it is missing.
    Soft404 = "soft-404", Lasting, "a page that says it is missing",
        "The status is good, and the page says that it is missing; or it says just what the \
         server says of an address that was made up."
        ["look at it; if it is missing, mend the link, and on your own site let it say 404."];
    /// Sent from a deeper address to the site's home page.
    RedirectedHome = "redirected-home", Lasting, "sent to the home page",
        "The link names a page, and its redirects end at the home page: that page is missing, as \
         a rule."
        ["look for its new address."];
    /// Sent to a page where visitors log in.
    RedirectedLogin = "redirected-login", Lasting, "sent to a login",
        "The link names a page, and its redirects end where visitors log in."
        ["if visitors are meant to log in, set it aside; else link to something public."];
    /// Sent to a host that asks for consent.
    ConsentWall = "consent-wall", Lasting, "sent to a consent wall",
        "Its redirects end at a host that asks for consent; what lies behind was not seen."
        ["look in a browser."];
    /// The page has no such place.
    NoSuchFragment = "no-such-fragment", OfLink, "no such place on the page",
        "The page is there, was read to its end, and has no such place (no id, no a name)."
        ["correct the part after #, or take it away."];
    /// A page where a picture, a style sheet or a script is wanted.
    WrongType = "wrong-type", OfLink, "a page where something else is wanted",
        "A picture, style sheet or script is wanted here, and the server gives a page, asked as \
         a browser would ask."
        ["correct the address; the file may be missing behind a page that says so."];
    /// Named by http on a page of https, so that browsers refuse it.
    MixedContent = "mixed-content", OfLink, "refused by browsers on a page of https",
        "The page came by https and names a script, style sheet or frame by http: browsers \
         refuse to load it."
        ["write https."];
    /// A link that leads nowhere.
    Placeholder = "placeholder", OfLink, "leads nowhere",
        "A link that leads nowhere: its address is empty, #, or a script that does nothing; and \
         it is no button of a script, nor does it name the page on which it stands."
        ["give it an address, or make it a button."];
    /// Moved for good.
    MovedPermanently = "moved-permanently", Lasting, "moved for good",
        "It redirects for good (301, 308)."
        ["write the new address."];
    /// Sound, by way of a temporary redirect.
    Redirected = "redirected", Lasting, "redirected for now",
        "It redirects for now (302, 303, 307): the old address is the one to keep."
        [];
    /// The run ended before it was asked.
    NotAsked = "not-asked", Lasting, "not asked: the run was stopped before",
        "The run was stopped before."
        [];
    /// This program failed on it.
    InternalError = "internal-error", Lasting, "internal error",
        "Rummage itself failed on it, so nothing is known of it."
        ["report the fault, with the page; look at the page in a browser."];
}

impl Cause {
    /// The word for it in every output: a fixed name in kebab case.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        self.row().key
    }

    /// The cause of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Cause> {
        Cause::ALL.iter().copied().find(|cause| cause.as_str() == name)
    }

    /// It in a few words.
    #[must_use]
    pub fn words(self) -> &'static str {
        self.row().words
    }

    /// What it means, in a sentence or more.
    #[must_use]
    pub fn meaning(self) -> &'static str {
        self.row().means
    }

    /// What to do about it, if there is something to do.
    #[must_use]
    pub fn advice(self) -> Option<&'static str> {
        self.row().advice
    }

    /// Whether it may be gone the next time.
    #[must_use]
    pub fn is_temporary(self) -> bool {
        matches!(self.row().nature, Nature::Temporary | Nature::Momentary)
    }

    /// Whether it says more of the moment than of the link: it makes nothing newly broken,
    /// and fixes nothing.
    #[must_use]
    pub fn is_momentary(self) -> bool {
        self.row().nature == Nature::Momentary
    }

    /// Whether it is of a link, and not of the URL that it names.
    #[must_use]
    pub fn is_of_link(self) -> bool {
        self.row().nature == Nature::OfLink
    }
}

impl fmt::Display for Cause {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
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

    #[test]
    fn every_cause_has_words_of_its_own() {
        let words: std::collections::BTreeSet<&str> =
            Cause::ALL.iter().map(|cause| cause.words()).collect();
        assert_eq!(words.len(), Cause::ALL.len());
        assert!(words.iter().all(|words| !words.is_empty() && !words.ends_with('.')));
    }

    #[test]
    fn every_cause_is_explained_in_sentences() {
        for &cause in Cause::ALL {
            let means = cause.meaning();
            assert!(means.len() > 15 && means.ends_with('.'), "{cause}: {means}");
            assert!(cause.advice().is_none_or(|advice| advice.ends_with('.')), "{cause}");
        }
    }
}
