//! The causes: one table with everything about each cause.

use std::fmt;

/// How long a cause lasts, and what it applies to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Nature {
    /// Lasts until someone changes something.
    Lasting,
    /// May be gone at the next attempt.
    Temporary,
    /// Says more about the moment than about the link: makes nothing newly broken, and fixes
    /// nothing.
    Momentary,
    /// Applies to a link, not to the URL it names.
    OfLink,
}

/// Defines [`Cause`] and its table. A row has the form
/// `Name = "key", Nature, "words", "meaning" ["advice"];`.
macro_rules! causes {
    ($($(#[$doc:meta])* $name:ident = $key:literal, $nature:ident, $words:literal, $means:literal
        [$($advice:literal)?];)*) => {
        /// Why a verdict is what it is.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Cause { $($(#[$doc])* $name,)* }

        impl Cause {
            /// All causes.
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

/// Everything about a cause.
struct Row {
    key: &'static str,
    nature: Nature,
    words: &'static str,
    means: &'static str,
    advice: Option<&'static str>,
}

causes! {
    /// A response other than the settings expect.
    NotAsExpected = "not-as-expected", Lasting, "not the expected response",
        "The settings expect a certain status for this URL, and the server sent another."
        ["find out what has changed on the server."];
    /// Not a URL that a browser can open.
    MalformedUrl = "malformed-url", Lasting, "invalid URL",
        "A browser cannot open this URL: the scheme is misspelled, the host or port is invalid, a \
         mailto: has no recipient, or it is the name of a file on the author's computer."
        ["correct the spelling; for a file, put it on the site and link to it there."];
    /// A URL with a scheme other than http or https.
    OtherScheme = "other-scheme", Lasting, "not an HTTP URL",
        "The URL has a scheme other than http and https, such as mailto:, tel: or javascript:."
        [];
    /// Excluded by a rule in the settings.
    Excluded = "excluded", Lasting, "excluded by a rule",
        "The URL is excluded by --exclude or --check-elements."
        [];
    /// External, and external URLs were only to be noted.
    External = "external", Lasting, "external, not checked",
        "The URL is external, and --externals note was given."
        [];
    /// Over a limit that was set.
    Limit = "limit", Lasting, "over --max-pages",
        "The page is over the limit set by --max-pages."
        [];
    /// So many URLs are known that no more pages are parsed.
    UrlLimit = "url-limit", Lasting, "over --max-urls",
        "As many URLs are known as --max-urls allows, so that no more pages are parsed."
        ["raise --max-urls if the site is that large; if not, find out what makes its URLs."];
    /// One of an endless pattern of URLs.
    Trap = "trap", Lasting, "endless URL pattern",
        "The URL is one of an endless pattern, such as the days of a calendar."
        [];
    /// A link for programs, not for visitors.
    ServiceLink = "service-link", Lasting, "machine-readable service link",
        "The link is for programs, not for visitors: pingback, preconnect and the like."
        [];
    /// Requesting it might delete, leave or buy something.
    Acts = "acts", Lasting, "skipped: requesting it may change something",
        "Credentials or cookies are sent, and by its URL, requesting it might log out, delete or \
         buy something."
        [];
    /// A private IP address, or the visitor's own machine.
    PrivateAddress = "private-address", Lasting, "private IP address or localhost",
        "The URL leads into a private network or to the visitor's own machine, usually a leftover \
         from development. It is broken if the URL itself says so, and doubtful if a public host \
         name resolves there. No request was made."
        ["replace it with the public URL, or use --allow-private inside that network."];
    /// A symbolic link out of the folder that is checked.
    OutOfFolder = "out-of-folder", Lasting, "symbolic link out of the folder, not read",
        "The file is a symbolic link to a place outside the folder that is checked. It was not \
         read, and its links were not found. Whether a web server sends it depends on its settings."
        ["put a copy of the file into the folder, as it will be published."];
    /// Missing at first, and not yet requested again.
    Unconfirmed = "unconfirmed", Momentary, "to be confirmed",
        "The first response says that it is missing. It is requested again at the end of the run, \
         and is broken if the response is the same."
        ["let the run finish, or continue it: rummage crawl --resume."];
    /// DNS says that there is no such name.
    Nxdomain = "nxdomain", Lasting, "host name does not exist (NXDOMAIN)",
        "The DNS answer is NXDOMAIN: the host name does not exist. This was checked twice."
        ["check the name for a typing error; otherwise the site is gone, so remove the link."];
    /// The name has no address records.
    NoAddress = "no-address", Lasting, "host has no IP address",
        "The host name exists, but has no address records (RFC 1035 A, RFC 3596 AAAA)."
        ["check the name for an error, such as a missing www.."];
    /// The host is IPv6-only, and this machine has no IPv6.
    NoIpv6 = "no-ipv6", Lasting, "host is IPv6-only, and this machine has no IPv6",
        "The host has only IPv6 addresses, and this machine has no IPv6."
        ["check from a machine with IPv6."];
    /// The DNS lookup failed, or there was no response.
    DnsFailure = "dns-failure", Temporary, "DNS lookup failed",
        "The DNS server of the host failed or did not respond, at every attempt. Behind a proxy, \
         this is what the proxy reported, and doubtful."
        ["try again later; if it persists, contact the owner of the host."];
    /// The connection was refused.
    ConnectionRefused = "connection-refused", Temporary, "connection refused",
        "The machine is reachable, but nothing listens on this port."
        ["check the port; if it is right, the server is down: try again later."];
    /// The connection was reset.
    ConnectionReset = "connection-reset", Temporary, "connection reset",
        "The server closed the connection before it sent a response."
        ["try it in a browser; some servers treat robots this way."];
    /// There is no route to the network.
    Unreachable = "unreachable", Temporary, "network unreachable",
        "There is no route to the server's network, or to or from a proxy."
        ["try again from another network."];
    /// No response in time.
    Timeout = "timeout", Temporary, "timed out",
        "The connection, the TLS handshake, the response or the end of the body did not arrive in \
         time. Doubtful if other URLs of the same server timed out as well, and this one was not \
         retried."
        ["try it in a browser; --timeout allows more time."];
    /// The certificate has expired, or is not valid yet.
    TlsExpired = "tls-expired", Lasting, "certificate expired or not yet valid",
        "The certificate has expired, or is not valid yet; browsers warn their visitors."
        ["on your own site, renew it; otherwise keep the link until its owner has."];
    /// The certificate is for another host.
    TlsWrongHost = "tls-wrong-host", Lasting, "certificate is for another host",
        "The certificate is for other host names; browsers warn their visitors."
        ["look for the right host name, with or without www.."];
    /// The certificate is self-signed.
    TlsUntrusted = "tls-untrusted", Lasting, "self-signed certificate",
        "The certificate is self-signed; browsers warn their visitors."
        ["on your own site, get one from a public authority; inside a company, trust it with \
          --ca-cert."];
    /// The certificate's issuer is unknown.
    TlsChain = "tls-chain", Lasting, "certificate from an unknown issuer",
        "The certificate's issuer is unknown. Often the server does not send an intermediate \
         certificate, which browsers may find elsewhere."
        ["on your own site, send the whole certificate chain; otherwise try it in a browser."];
    /// No TLS version or cipher in common.
    TlsUnsupported = "tls-unsupported", Lasting, "no common TLS version or cipher",
        "The server supports no TLS version, or no cipher, that is still considered secure."
        ["try it in a browser."];
    /// Another TLS failure.
    TlsFailure = "tls-failure", Temporary, "TLS handshake failed",
        "The TLS handshake failed for another reason: often this is not a TLS server, and the port \
         is for plain HTTP."
        ["check the scheme and the port."];
    /// The response is not HTTP.
    BadResponse = "bad-response", Lasting, "invalid HTTP response",
        "The response is not valid HTTP."
        ["check the port; it may belong to another service."];
    /// The body ended early.
    Truncated = "truncated", Temporary, "response body cut short",
        "The body ended before its announced length, or could not be decoded, at every attempt."
        ["try it in a browser; on your own site, look for scripts or caches that stop early."];
    /// The redirects form a loop.
    RedirectLoop = "redirect-loop", Lasting, "redirect loop",
        "The redirects come back to a URL they have been at, with the same cookies."
        ["on your own site, follow the redirects in rummage trace and break the loop."];
    /// Too many redirects.
    RedirectLimit = "redirect-limit", Lasting, "too many redirects",
        "There are more redirects than browsers follow."
        ["link to the final URL."];
    /// A redirect without a usable `Location`.
    BadRedirect = "bad-redirect", Lasting, "redirect with a missing or invalid Location",
        "A redirect has no Location header, or one with an invalid URL."
        ["on your own site, correct the Location; otherwise link to the final URL."];
    /// 404.
    NotFound = "not-found", Lasting, "404 Not Found",
        "The server responded 404: there is nothing at this URL. This was checked twice."
        ["look for the new URL; otherwise remove the link."];
    /// 410.
    Gone = "gone", Lasting, "410 Gone",
        "The server responded 410: the page was removed on purpose."
        ["remove the link, or link to an archive."];
    /// 401 or 407.
    LoginNeeded = "login-needed", Lasting, "401 Unauthorized",
        "The server requires a login (401, 407)."
        ["if visitors are meant to log in, waive it."];
    /// Access refused, at least for robots.
    AccessRefused = "access-refused", Lasting, "403 Forbidden",
        "The server refuses access, perhaps only for robots. On your own site, it is broken if \
         other pages worked at the same moment."
        ["try it in a browser; on your own site, check the permissions."];
    /// The host seems to block us.
    Blocking = "blocking", Momentary, "host blocks us, or is down",
        "From some moment on, the server refused every request, even for URLs that worked before, \
         or sent a bot-check page; or it responded 404 to everything, its home page included. It \
         may block robots, or be down."
        ["wait, then run rummage crawl --resume with --gentle; ask the owner to allow the crawl."];
    /// The network seems to be down.
    Offline = "offline", Momentary, "network down",
        "From some moment on, no server responded, not even those that had responded before: the \
         network of this machine seems to be down."
        ["check the network, then run rummage crawl --resume."];
    /// The host is too busy.
    Busy = "busy", Momentary, "server too busy (429 or 503)",
        "The server is overloaded, or limits requests (429, or 503 with a Retry-After header)."
        ["try again later; --rate slows requests down."];
    /// Another 4xx.
    ClientError = "client-error", Lasting, "client error (4xx)",
        "The server rejects the request (another 4xx)."
        ["try it in a browser; the URL may be incomplete."];
    /// 5xx.
    ServerError = "server-error", Temporary, "server error (5xx)",
        "The server failed (5xx) at every attempt. Behind a proxy, 502 and 504 are what the proxy \
         reported, and doubtful."
        ["on your own site, look in the server's log; otherwise try again later."];
    /// A page that stands in for a site.
    Parked = "parked", Lasting, "domain parked or for sale, or a server's default page",
        "The page shows that the domain is parked, expired or for sale, or it is the page that a \
         web server shows before it has a site."
        ["look at the page; if the site is gone, replace or remove the link."];
    /// A page that says, with a 2xx status, that it is missing.
    Soft404 = "soft-404", Lasting, "page says \"not found\" with status 200",
        "The status is 200, but the page says that it is missing, or has the same text as the \
         server's response to a nonexistent test URL."
        ["look at the page; if it is missing, correct the link, and on your own site send 404."];
    /// Redirected from a deeper URL to the site's home page.
    RedirectedHome = "redirected-home", Lasting, "redirected to the home page",
        "The link is to a deeper page, and its redirects end at the home page: the page itself is \
         usually missing."
        ["look for its new URL."];
    /// Redirected to a login page.
    RedirectedLogin = "redirected-login", Lasting, "redirected to a login page",
        "The link is to a page, and its redirects end at a login page."
        ["if visitors are meant to log in, waive it; otherwise link to a public page."];
    /// Redirected to a consent page.
    ConsentWall = "consent-wall", Lasting, "redirected to a consent page",
        "Its redirects end at a host that asks for consent; the page itself was not checked."
        ["try it in a browser."];
    /// The page has no such anchor.
    NoSuchFragment = "no-such-fragment", OfLink, "no such anchor on the page",
        "The page was read to its end, and has no such anchor (no element with this id, no a \
         element with this name)."
        ["correct the fragment (the part after #), or remove it."];
    /// An HTML page where an image, stylesheet or script is expected.
    WrongType = "wrong-type", OfLink, "HTML page where another type is expected",
        "An image, stylesheet or script is expected here, but the server sends an HTML page, even \
         with a browser's Accept header."
        ["correct the URL; the file may be missing behind an error page."];
    /// An http URL on an https page, which browsers block.
    MixedContent = "mixed-content", OfLink, "mixed content, blocked by browsers",
        "An https page embeds a script, stylesheet or frame by an http URL, which browsers do not \
         load."
        ["change http to https."];
    /// A link that leads nowhere.
    Placeholder = "placeholder", OfLink, "placeholder link",
        "The link leads nowhere: its URL is empty, #, a script that does nothing, a part of a \
         template that was not filled in ({{ url }}, [link], TODO), or on a host reserved for \
         examples. No script handles the click, and the link is not the current entry of a menu."
        ["give it a URL, or make it a button."];
    /// Moved permanently.
    MovedPermanently = "moved-permanently", Lasting, "moved permanently",
        "The URL redirects permanently (301, 308)."
        ["link to the new URL."];
    /// Sound, through a temporary redirect.
    Redirected = "redirected", Lasting, "temporary redirect",
        "The URL redirects temporarily (302, 303, 307): keep linking to it."
        [];
    /// The run was stopped before it was checked.
    NotAsked = "not-asked", Lasting, "not checked: the run was stopped",
        "The run was stopped before this URL was checked."
        [];
    /// Rummage itself failed on it.
    InternalError = "internal-error", Lasting, "internal error",
        "Rummage itself failed on this URL, so its state is unknown."
        ["report the bug, with the page; check the page in a browser."];
}

impl Cause {
    /// Its key in every output: a fixed name in kebab case.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        self.row().key
    }

    /// The cause with this key.
    #[must_use]
    pub fn named(name: &str) -> Option<Cause> {
        Cause::ALL.iter().copied().find(|cause| cause.as_str() == name)
    }

    /// The cause in a few words.
    #[must_use]
    pub fn words(self) -> &'static str {
        self.row().words
    }

    /// What it means, in one or more sentences.
    #[must_use]
    pub fn meaning(self) -> &'static str {
        self.row().means
    }

    /// What to do about it, if there is something to do.
    #[must_use]
    pub fn advice(self) -> Option<&'static str> {
        self.row().advice
    }

    /// Whether it may be gone at the next attempt.
    #[must_use]
    pub fn is_temporary(self) -> bool {
        matches!(self.row().nature, Nature::Temporary | Nature::Momentary)
    }

    /// Whether it says more about the moment than about the link: it makes nothing newly broken,
    /// and fixes nothing.
    #[must_use]
    pub fn is_momentary(self) -> bool {
        self.row().nature == Nature::Momentary
    }

    /// Whether it applies to a link, not to the URL it names.
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
    fn every_cause_is_found_by_its_key() {
        for &cause in Cause::ALL {
            assert_eq!(Cause::named(cause.as_str()), Some(cause));
        }
    }

    #[test]
    fn no_two_causes_have_the_same_words() {
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
