//! From what stands in an attribute to an address in normal form.
//!
//! Normal form is the URL standard's serialisation without the fragment, and
//! nothing more: no sorting, no decoding, no change of slashes.

use strsim::levenshtein;
use url::Url;

/// What a reference in a page turns out to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reference {
    /// An address that can be asked over HTTP.
    Web {
        /// The address, its fragment cut off.
        address: Url,
        /// The fragment, as the URL standard serialises it, without `#`.
        fragment: Option<String>,
    },
    /// An address of another scheme, such as `mailto:`.
    Other {
        /// The address as serialised.
        address: String,
    },
    /// Not an address that a browser can open.
    Malformed {
        /// The reference as written, white space around it cut off.
        written: String,
    },
}

/// Schemes in use on web pages that lie within two edits of http, https or
/// mailto, or that name this machine on purpose. Source: IANA's registry of URI
/// schemes, and the schemes that browsers handle themselves.
const OTHER_SCHEMES: &[&str] = &[
    "about",
    "acct",
    "blob",
    "cid",
    "data",
    "dns",
    "ftp",
    "ftps",
    "geo",
    "git",
    "imap",
    "ipp",
    "irc",
    "javascript",
    "jabber",
    "ldap",
    "magnet",
    "mailto",
    "maps",
    "mid",
    "news",
    "nntp",
    "rtsp",
    "sftp",
    "shttp",
    "sip",
    "sips",
    "sms",
    "ssh",
    "tel",
    "urn",
    "view-source",
    "webcal",
    "ws",
    "wss",
    "xmpp",
];

/// Reads a reference against the base of its page.
///
/// Malformed is what the URL standard cannot parse, `file:` on a web page, a
/// scheme of one letter (a drive of some disk), and a scheme within two edits of
/// http, https or mailto.
///
/// ```
/// use rummage_core::address::{Reference, resolve};
/// use url::Url;
///
/// let base = Url::parse("http://a.test/walks/").unwrap();
/// let Reference::Web { address, fragment } = resolve(&base, "../map.html#lock") else { panic!() };
/// assert_eq!(address.as_str(), "http://a.test/map.html");
/// assert_eq!(fragment.as_deref(), Some("lock"));
/// assert!(matches!(resolve(&base, "htp://a.test/"), Reference::Malformed { .. }));
/// ```
#[must_use]
pub fn resolve(base: &Url, written: &str) -> Reference {
    let malformed = || Reference::Malformed { written: trim(written).to_owned() };
    let Ok(mut address) = base.join(written) else {
        return malformed();
    };
    match address.scheme() {
        "http" | "https" => {
            let fragment = address.fragment().map(str::to_owned);
            address.set_fragment(None);
            Reference::Web { address, fragment }
        }
        scheme if is_misspelt(scheme) => malformed(),
        _ => Reference::Other { address: address.into() },
    }
}

/// Cuts off what the URL standard cuts off: control characters and spaces.
#[must_use]
pub fn trim(written: &str) -> &str {
    written.trim_matches(|c: char| c <= ' ')
}

fn is_misspelt(scheme: &str) -> bool {
    if scheme.len() == 1 || scheme == "file" {
        return true;
    }
    !OTHER_SCHEMES.contains(&scheme)
        && ["http", "https", "mailto"].iter().any(|known| levenshtein(scheme, known) <= 2)
}

/// The part of an address that says which server is asked: host, and port where
/// it is not a default one.
#[must_use]
pub fn server_of(address: &Url) -> String {
    let host = address.host_str().unwrap_or_default();
    match address.port() {
        Some(port) => format!("{host}:{port}"),
        None => host.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn seen(written: &str) -> String {
        let base = Url::parse("http://a.test/walks/towpath?day=1").unwrap();
        match resolve(&base, written) {
            Reference::Web { address, fragment: None } => address.to_string(),
            Reference::Web { address, fragment: Some(fragment) } => {
                format!("{address} + {fragment}")
            }
            Reference::Other { address } => format!("other {address}"),
            Reference::Malformed { written } => format!("malformed {written}"),
        }
    }

    #[test]
    fn references_resolve_as_browsers_do() {
        for (written, expected) in [
            ("locks", "http://a.test/walks/locks"),
            ("/", "http://a.test/"),
            ("", "http://a.test/walks/towpath?day=1"),
            ("#map", "http://a.test/walks/towpath?day=1 + map"),
            ("?day=2", "http://a.test/walks/towpath?day=2"),
            ("//B.TEST:80/x", "http://b.test/x"),
            (" \n/a b\t", "http://a.test/a%20b"),
            ("..\\up", "http://a.test/up"),
            ("http:sideways", "http://a.test/walks/sideways"),
            ("HTTPS://b.test", "https://b.test/"),
        ] {
            assert_eq!(seen(written), expected, "{written:?}");
        }
    }

    #[test]
    fn other_schemes_are_told_from_misspelt_ones() {
        for written in
            ["mailto:a@b.test", "tel:+441", "ftp://a.test/", "javascript:void(0)", "sms:1"]
        {
            assert!(seen(written).starts_with("other "), "{written}: {}", seen(written));
        }
        for written in
            ["htp://a.test/", "htttps://a.test/", "maito:a@b.test", "c:\\map.doc", "file:///x"]
        {
            assert!(seen(written).starts_with("malformed "), "{written}: {}", seen(written));
        }
    }

    #[test]
    fn what_the_standard_cannot_parse_is_malformed() {
        for written in ["http://", "http://a b.test/", "http://a.test:99999/", "http://[::1/"] {
            assert_eq!(seen(written), format!("malformed {written}"));
        }
    }
}
