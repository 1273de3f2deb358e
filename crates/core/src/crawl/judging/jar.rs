//! The cookies of one chain of redirects (RFC 6265 §5).

use std::hash::{Hash, Hasher};
use std::time::Duration;

use url::{Host, Url};

use crate::Moment;
use crate::evidence::SetCookie;
use crate::url::network::is_loopback;

/// No chain needs more cookies than this.
const MOST_COOKIES: usize = 50;

/// Cookies, and where they are sent.
#[derive(Debug, Default)]
pub(super) struct Jar {
    cookies: Vec<Cookie>,
}

#[derive(Debug)]
struct Cookie {
    set: SetCookie,
    domain: String,
    /// Sent to this host alone, not to those below it.
    host_only: bool,
    path: String,
    expires: Option<Moment>,
}

impl Jar {
    /// The response for a URL sets cookies (RFC 6265 §5.3).
    pub(super) fn handle_response(&mut self, now: Moment, url: &Url, cookies: &[SetCookie]) {
        for set in cookies {
            let Some((domain, host_only)) = domain_of(url, set) else { continue };
            // Browsers take these from secure servers alone.
            if set.secure && !is_secure(url) {
                continue;
            }
            let path = set.path.clone().filter(|path| path.starts_with('/'));
            let path = path.unwrap_or_else(|| default_path(url));
            self.cookies.retain(|known| {
                known.set.name != set.name || known.domain != domain || known.path != path
            });
            if !set.expired && self.cookies.len() < MOST_COOKIES {
                let expires = set.seconds.map(|seconds| now + Duration::from_secs(seconds));
                self.cookies.push(Cookie { set: set.clone(), domain, host_only, path, expires });
            }
        }
    }

    /// The `Cookie` header of a request for a URL (RFC 6265 §5.4).
    pub(super) fn header(&self, now: Moment, url: &Url) -> Option<String> {
        let mut own: Vec<&Cookie> =
            self.cookies.iter().filter(|cookie| cookie.is_for(now, url)).collect();
        own.sort_by_key(|cookie| std::cmp::Reverse(cookie.path.len()));
        let pairs: Vec<String> =
            own.iter().map(|cookie| format!("{}={}", cookie.set.name, cookie.set.value)).collect();
        (!pairs.is_empty()).then(|| pairs.join("; "))
    }
}

/// Two jars with the same cookies have the same hash.
impl Hash for Jar {
    fn hash<H: Hasher>(&self, state: &mut H) {
        for Cookie { set, domain, path, .. } in &self.cookies {
            (&set.name, set.hash, domain, path).hash(state);
        }
    }
}

impl Cookie {
    fn is_for(&self, now: Moment, url: &Url) -> bool {
        let host = url.host_str().unwrap_or_default();
        let is_host =
            if self.host_only { host == self.domain } else { domain_matches(url, &self.domain) };
        is_host
            && path_matches(url.path(), &self.path)
            && (!self.set.secure || is_secure(url))
            && self.expires.is_none_or(|expires| now < expires)
    }
}

/// The domain of a cookie, and whether it is for that host alone; `None` if the response may not
/// set it.
fn domain_of(url: &Url, set: &SetCookie) -> Option<(String, bool)> {
    let host = url.host_str()?;
    let own = || Some((host.to_owned(), true));
    let Some(given) = set.domain.as_deref().map(|domain| domain.trim_start_matches('.')) else {
        return own();
    };
    if given.is_empty() {
        return own();
    }
    let Ok(Host::Domain(domain)) = Host::parse(given) else {
        // An IP address has nothing below it.
        return if given == host { own() } else { None };
    };
    // Others below a public suffix such as co.uk belong to other people (RFC 6265 §5.3 5).
    let is_public = psl::suffix_str(&domain).is_none_or(|suffix| suffix == domain);
    match domain_matches(url, &domain) {
        true if is_public => {
            if domain == host {
                own()
            } else {
                None
            }
        }
        true => Some((domain, false)),
        false => None,
    }
}

/// RFC 6265 §5.1.3.
fn domain_matches(url: &Url, domain: &str) -> bool {
    let host = url.host_str().unwrap_or_default();
    let below = || host.strip_suffix(domain).is_some_and(|rest| rest.ends_with('.'));
    host == domain || (matches!(url.host(), Some(Host::Domain(_))) && below())
}

/// RFC 6265 §5.1.4.
fn default_path(url: &Url) -> String {
    match url.path().rfind('/') {
        None | Some(0) => "/".to_owned(),
        Some(end) => url.path()[..end].to_owned(),
    }
}

/// RFC 6265 §5.1.4.
fn path_matches(path: &str, cookie: &str) -> bool {
    path.strip_prefix(cookie)
        .is_some_and(|rest| rest.is_empty() || cookie.ends_with('/') || rest.starts_with('/'))
}

/// Browsers trust this machine over http, too (Secure Contexts §3.1).
fn is_secure(url: &Url) -> bool {
    url.scheme() == "https" || is_loopback(url)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    const NOW: Moment = Moment::START;

    fn url(text: &str) -> Url {
        Url::parse(text).unwrap()
    }

    fn cookie(attributes: &str) -> SetCookie {
        let mut set = SetCookie { name: "a".into(), value: "1".into(), ..SetCookie::default() };
        for attribute in attributes.split("; ").filter(|attribute| !attribute.is_empty()) {
            match attribute.split_once('=') {
                Some(("domain", domain)) => set.domain = Some(domain.into()),
                Some(("path", path)) => set.path = Some(path.into()),
                Some(("seconds", seconds)) => set.seconds = Some(seconds.parse().unwrap()),
                _ => set.secure = attribute == "secure",
            }
        }
        set
    }

    fn is_sent(from: &str, attributes: &str, to: &str) -> bool {
        let mut jar = Jar::default();
        jar.handle_response(NOW, &url(from), &[cookie(attributes)]);
        jar.header(NOW, &url(to)).is_some()
    }

    #[test]
    fn cookies_are_sent_where_rfc_6265_allows() {
        for (from, attributes, to, expected) in [
            // Host-only.
            ("http://a.test/", "", "http://a.test/x", true),
            ("http://a.test/", "", "http://www.a.test/", false),
            ("http://a.test/", "", "http://a.test:81/", true),
            ("http://www.a.test/", "", "http://a.test/", false),
            // Domain.
            ("http://www.a.test/", "domain=a.test", "http://a.test/", true),
            ("http://www.a.test/", "domain=.a.test", "http://shop.a.test/", true),
            ("http://www.a.test/", "domain=A.TEST", "http://shop.a.test/", true),
            ("http://www.a.test/", "domain=", "http://www.a.test/", true),
            ("http://www.a.test/", "domain=", "http://a.test/", false),
            ("http://www.a.test/", "domain=b.test", "http://b.test/", false),
            ("http://www.a.test/", "domain=b.test", "http://www.a.test/", false),
            ("http://a.test/", "domain=www.a.test", "http://www.a.test/", false),
            ("http://xa.test/", "domain=a.test", "http://a.test/", false),
            ("http://a.test/", "domain=a.test", "http://xa.test/", false),
            // Public suffixes.
            ("http://a.test/", "domain=test", "http://b.test/", false),
            ("http://a.co.uk/", "domain=co.uk", "http://b.co.uk/", false),
            ("http://a.co.uk/", "domain=co.uk", "http://a.co.uk/", false),
            ("http://www.a.co.uk/", "domain=a.co.uk", "http://b.a.co.uk/", true),
            ("http://me.github.io/", "domain=github.io", "http://you.github.io/", false),
            ("http://github.io/", "domain=github.io", "http://github.io/", true),
            ("http://github.io/", "domain=github.io", "http://you.github.io/", false),
            ("http://localhost/", "domain=localhost", "http://localhost/", true),
            // IP addresses.
            ("http://10.0.0.1/", "domain=10.0.0.1", "http://10.0.0.1/", true),
            ("http://10.0.0.1/", "domain=0.0.1", "http://10.0.0.1/", false),
            ("http://10.0.0.1/", "domain=0.1", "http://20.0.0.1/", false),
            // Path.
            ("http://a.test/x/y", "", "http://a.test/x/z", true),
            ("http://a.test/x/y", "", "http://a.test/x", true),
            ("http://a.test/x/y", "", "http://a.test/xy", false),
            ("http://a.test/x/y", "", "http://a.test/", false),
            ("http://a.test/x", "", "http://a.test/y", true),
            ("http://a.test/x", "path=/y", "http://a.test/y/z", true),
            ("http://a.test/x", "path=/y", "http://a.test/yz", false),
            ("http://a.test/x", "path=/y/", "http://a.test/y/z", true),
            ("http://a.test/x", "path=/y/", "http://a.test/y", false),
            ("http://a.test/x/y", "path=z", "http://a.test/x/", true),
            // Secure.
            ("https://a.test/", "secure", "https://a.test/", true),
            ("https://a.test/", "secure", "http://a.test/", false),
            ("http://a.test/", "secure", "https://a.test/", false),
            ("https://a.test/", "", "http://a.test/", true),
            ("http://localhost/", "secure", "http://localhost/", true),
        ] {
            let case = format!("{from} {attributes} {to}");
            assert_eq!(is_sent(from, attributes, to), expected, "{case}");
        }
    }

    #[test]
    fn cookies_end_when_their_time_is_over() {
        let mut jar = Jar::default();
        let page = url("http://a.test/");
        jar.handle_response(NOW, &page, &[cookie("seconds=2")]);
        let after = |millis| NOW + Duration::from_millis(millis);
        assert_eq!(jar.header(after(1999), &page).as_deref(), Some("a=1"));
        assert_eq!(jar.header(after(2000), &page), None);
        jar.handle_response(NOW, &page, &[cookie("")]);
        jar.handle_response(NOW, &page, &[SetCookie { expired: true, ..cookie("") }]);
        assert_eq!(jar.header(NOW, &page), None, "a server deletes its cookie");
    }

    #[test]
    fn later_cookies_replace_earlier_ones_and_longer_paths_come_first() {
        let mut jar = Jar::default();
        let page = url("http://a.test/x/y");
        let other = SetCookie { value: "2".into(), ..cookie("path=/") };
        jar.handle_response(NOW, &page, &[cookie("path=/"), cookie("path=/x"), other]);
        assert_eq!(jar.header(NOW, &page).as_deref(), Some("a=1; a=2"));
    }

    #[test]
    fn no_server_fills_the_jar() {
        let mut jar = Jar::default();
        let page = url("http://a.test/");
        let many = |n: usize| SetCookie { name: n.to_string(), ..cookie("") };
        jar.handle_response(NOW, &page, &(0..MOST_COOKIES + 9).map(many).collect::<Vec<_>>());
        assert_eq!(jar.header(NOW, &page).unwrap().matches("=1").count(), MOST_COOKIES);
    }
}
