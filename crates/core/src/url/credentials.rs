//! Which URLs receive the user's credentials: only those of an origin that the user has named.

use url::{Origin, Url};

/// The origins (RFC 6454 §4: scheme, host and port) that receive credentials: passwords, headers
/// and cookies that the user gives. Without any, none does.
///
/// A redirect, a link or a `base` element never adds an origin: who controls a page controls
/// those.
///
/// ```
/// use rummage_core::url::credentials::CredentialScope;
/// use url::Url;
///
/// let scope = CredentialScope::of([&Url::parse("https://a.test/start").unwrap()]);
/// assert!(scope.includes(&Url::parse("https://a.test/in").unwrap()));
/// assert!(!scope.includes(&Url::parse("http://a.test/in").unwrap()));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CredentialScope {
    origins: Vec<Origin>,
}

impl CredentialScope {
    /// The origins of these URLs, which the user has named. An http URL also names https on the
    /// same host: the same port, or the default one.
    #[must_use]
    pub fn of<'a>(named: impl IntoIterator<Item = &'a Url>) -> CredentialScope {
        let mut origins = Vec::new();
        for url in named {
            origins.push(url.origin());
            let mut secure = url.clone();
            // This keeps a port other than 80, and makes 80 the default of https.
            if url.scheme() == "http" && secure.set_scheme("https").is_ok() {
                origins.push(secure.origin());
            }
        }
        CredentialScope { origins }
    }

    /// Whether a request for this URL has the credentials.
    #[must_use]
    pub fn includes(&self, url: &Url) -> bool {
        self.origins.contains(&url.origin())
    }
}

/// The origin of a URL as people write it: `https://a.test:8443`.
#[must_use]
pub fn origin_of(url: &Url) -> String {
    url.origin().ascii_serialization()
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn credentials_are_for_the_origins_that_were_named() {
        // What the user named, a URL, and whether it receives credentials.
        for (named, url, expected) in [
            ("https://a.test/x", "https://a.test/y", true),
            ("https://a.test/", "https://A.test:443/", true),
            ("https://a.test/", "http://a.test/", false),
            ("https://a.test/", "https://a.test:8443/", false),
            ("https://a.test/", "https://www.a.test/", false),
            ("https://a.test/", "https://b.test/", false),
            ("https://a.test/", "https://a.test.b.test/", false),
            ("https://a.test/", "https://a.test@b.test/", false),
            ("https://a.test/", "https://a.test./", false),
            ("http://a.test/", "http://a.test/", true),
            ("http://a.test/", "https://a.test/", true),
            ("http://a.test/", "https://a.test:80/", false),
            ("http://a.test:8080/", "http://a.test:8080/", true),
            ("http://a.test:8080/", "https://a.test:8080/", true),
            ("http://a.test:8080/", "https://a.test/", false),
            ("http://a.test:8080/", "http://a.test/", false),
            ("http://127.0.0.1:80/", "http://127.0.0.1/", true),
            ("http://127.0.0.1/", "http://127.0.0.2/", false),
            ("https://[::1]:8443/", "https://[0:0::1]:8443/", true),
        ] {
            let scope = CredentialScope::of([&Url::parse(named).unwrap()]);
            assert_eq!(scope.includes(&Url::parse(url).unwrap()), expected, "{named} {url}");
        }
        let url = Url::parse("https://a.test/").unwrap();
        assert!(!CredentialScope::default().includes(&url), "none was named");
        // Every opaque origin is equal to itself alone.
        let data = Url::parse("data:,x").unwrap();
        assert!(!CredentialScope::of([&data]).includes(&data));
    }

    #[test]
    fn each_named_url_adds_its_origin() {
        let named =
            ["https://a.test/", "https://b.test:8443/x"].map(|url| Url::parse(url).unwrap());
        let scope = CredentialScope::of(&named);
        for url in ["https://a.test/z", "https://b.test:8443/z"] {
            assert!(scope.includes(&Url::parse(url).unwrap()), "{url}");
        }
        assert!(!scope.includes(&Url::parse("https://b.test/z").unwrap()));
        assert_eq!(origin_of(&named[1]), "https://b.test:8443");
        assert_eq!(origin_of(&named[0]), "https://a.test");
    }
}
