//! What belongs to the site that is checked, and what lies outside.

use serde::{Deserialize, Serialize};
use url::{Host, Position, Url};

/// On which side of the site's bounds an address lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Scope {
    /// Within the bounds: its pages are read for links.
    Internal,
    /// Outside: asked, not read.
    External,
}

impl Scope {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Scope::Internal => "internal",
            Scope::External => "external",
        }
    }

    /// The one of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<Scope> {
        [Scope::Internal, Scope::External].into_iter().find(|scope| scope.as_str() == name)
    }
}

/// The bounds of a site: the host of its start, that host's `www.` or bare twin,
/// http and https, on the default ports, and what prefixes add.
///
/// A start on another port makes a site of that very port: what answers on the
/// other ports of a host is another server. A prefix that names another host or
/// port adds what it fits. Of the start's own hosts, prefixes that are for them
/// confine what is read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bounds {
    /// Lower case, as the URL standard serialises it.
    host: String,
    /// The same host with `www.` put before or taken away; none for an IP address.
    twin: Option<String>,
    /// `None`: the default port of either scheme.
    port: Option<u16>,
    within: Vec<Prefix>,
}

/// The beginning of addresses: `/docs/`, `shop.a.test`, `https://a.test:8443/docs/`.
/// The scheme does not count.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Prefix {
    written: String,
    /// Host and port; none: the start's.
    server: Option<(String, Option<u16>)>,
    /// The beginning of path and query.
    path: String,
}

impl Prefix {
    /// Reads a prefix.
    ///
    /// # Errors
    /// When it is neither a path nor an address.
    pub fn parse(written: &str) -> Result<Prefix, url::ParseError> {
        let (server, path) = if written.starts_with('/') && !written.starts_with("//") {
            // Encoded as it is in addresses.
            let url = Url::parse("http://a.test/")?.join(written)?;
            (None, path_of(&url))
        } else {
            let url = match written.split_once("://") {
                Some(_) => Url::parse(written)?,
                None => Url::parse(&format!("http://{written}"))?,
            };
            let host = url.host_str().ok_or(url::ParseError::EmptyHost)?.to_owned();
            (Some((host, url.port())), path_of(&url))
        };
        Ok(Prefix { written: written.to_owned(), server, path })
    }

    /// All of the host of a start and of its twin, on its port: what makes it part of another
    /// site.
    #[must_use]
    pub fn all_of(start: &Url) -> Vec<Prefix> {
        let bounds = Bounds::around(start, &[]);
        let port = start.port().map_or_else(String::new, |port| format!(":{port}"));
        let hosts = start.host_str().into_iter().chain(bounds.twin());
        hosts.filter_map(|host| Prefix::parse(&format!("{host}{port}/")).ok()).collect()
    }

    /// Whether it is one of paths, on whatever host the site has.
    #[must_use]
    pub fn is_path(&self) -> bool {
        self.server.is_none()
    }

    /// The prefix as it was written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.written
    }
}

fn path_of(url: &Url) -> String {
    url[Position::BeforePath..Position::AfterQuery].to_owned()
}

/// What the name of a list begins with.
const LISTS: &str = "./";

impl Bounds {
    /// The bounds of the site that this start belongs to.
    #[must_use]
    pub fn around(start: &Url, within: &[Prefix]) -> Bounds {
        if start.scheme() == "file" {
            // No host has such a name.
            let name = start.path_segments().and_then(|mut parts| parts.next_back());
            let host = format!("{LISTS}{}", name.unwrap_or_default());
            return Bounds { host, twin: None, port: None, within: Vec::new() };
        }
        let host = start.host_str().unwrap_or_default().to_owned();
        let twin = match start.host() {
            Some(Host::Domain(name)) => Some(match name.strip_prefix("www.") {
                Some(bare) => bare.to_owned(),
                None => format!("www.{name}"),
            }),
            _ => None,
        };
        Bounds { host, twin, port: start.port(), within: within.to_vec() }
    }

    fn is_of_lists(&self) -> bool {
        self.host.starts_with(LISTS)
    }

    /// On which side an address lies.
    #[must_use]
    pub fn scope(&self, url: &Url) -> Scope {
        let is_web = matches!(url.scheme(), "http" | "https");
        // A list is what a walk over lists is about.
        if url.scheme() == "file" && self.is_of_lists() {
            return Scope::Internal;
        }
        if is_web && (self.is_own(url) || self.is_within(url)) {
            Scope::Internal
        } else {
            Scope::External
        }
    }

    /// Whether an internal address is to be read for links.
    #[must_use]
    pub fn reads(&self, url: &Url) -> bool {
        let confined =
            || self.within.iter().any(|prefix| prefix.server.as_ref().is_none_or(|s| self.owns(s)));
        self.is_within(url) || (self.is_own(url) && !confined())
    }

    /// Whether a server is the start's own.
    #[must_use]
    pub fn is_own(&self, url: &Url) -> bool {
        let host = url.host_str().unwrap_or_default();
        self.has_host(host) && url.port() == self.port
    }

    fn is_within(&self, url: &Url) -> bool {
        let host = url.host_str().unwrap_or_default();
        let path = &url[Position::BeforePath..Position::AfterQuery];
        self.within.iter().any(|prefix| {
            let same_server = match &prefix.server {
                Some(server) if self.owns(server) => self.is_own(url),
                Some((own, port)) => own == host && *port == url.port(),
                None => self.is_own(url),
            };
            same_server && path.starts_with(&prefix.path)
        })
    }

    fn owns(&self, (host, port): &(String, Option<u16>)) -> bool {
        self.has_host(host) && *port == self.port
    }

    fn has_host(&self, host: &str) -> bool {
        host == self.host || self.twin.as_deref() == Some(host)
    }

    /// The host of the start, with its port where that is not a default one.
    #[must_use]
    pub fn name(&self) -> String {
        match self.port {
            Some(port) => format!("{}:{port}", self.host),
            None => self.host.clone(),
        }
    }

    /// The twin of the host, if it has one.
    #[must_use]
    pub fn twin(&self) -> Option<&str> {
        self.twin.as_deref()
    }

    /// The prefixes that confine or add to the site.
    #[must_use]
    pub fn within(&self) -> &[Prefix] {
        &self.within
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn scope(start: &str, url: &str) -> Scope {
        Bounds::around(&Url::parse(start).unwrap(), &[]).scope(&Url::parse(url).unwrap())
    }

    #[test]
    fn twins_and_both_schemes_are_one_site() {
        for url in ["http://a.test/", "https://www.a.test/x", "http://www.a.test:80/"] {
            assert_eq!(scope("https://a.test/", url), Scope::Internal, "{url}");
            assert_eq!(scope("http://www.a.test/deep", url), Scope::Internal, "{url}");
        }
    }

    #[test]
    fn subdomains_and_other_ports_are_not() {
        for url in ["http://shop.a.test/", "http://a.test:8080/", "http://b.test/"] {
            assert_eq!(scope("http://a.test/", url), Scope::External, "{url}");
        }
        assert_eq!(scope("http://a.test:8080/", "http://a.test:8080/x"), Scope::Internal);
        assert_eq!(scope("http://a.test:8080/", "http://a.test/x"), Scope::External);
    }

    #[test]
    fn an_ip_address_has_no_twin() {
        let start = Url::parse("http://127.0.0.1:8000/").unwrap();
        assert_eq!(Bounds::around(&start, &[]).twin(), None);
    }

    #[test]
    fn prefixes_confine_the_own_hosts_and_add_others() {
        // Prefixes, address: its scope, and whether it is read.
        for (within, url, internal, read) in [
            ("", "http://a.test/x", true, true),
            ("/docs/", "https://www.a.test/docs/x?y", true, true),
            ("/docs/", "http://a.test/blog/", true, false),
            ("/docs/", "http://b.test/docs/", false, false),
            ("https://a.test/docs/", "http://www.a.test/docs/x", true, true),
            ("https://a.test/docs/", "http://a.test/blog", true, false),
            ("shop.a.test", "https://shop.a.test/x", true, true),
            ("shop.a.test", "https://a.test/x", true, true),
            ("shop.a.test/books", "https://shop.a.test/x", false, false),
            ("shop.a.test /docs", "https://a.test/x", true, false),
            ("a.test:8080", "http://a.test:8080/x", true, true),
            ("a.test:8080", "http://a.test:8081/x", false, false),
            ("/für", "http://a.test/f%C3%BCr/x", true, true),
        ] {
            let prefixes: Vec<Prefix> =
                within.split_whitespace().map(|text| Prefix::parse(text).unwrap()).collect();
            let bounds = Bounds::around(&Url::parse("http://a.test/").unwrap(), &prefixes);
            let url = Url::parse(url).unwrap();
            assert_eq!(bounds.scope(&url) == Scope::Internal, internal, "{within} {url}");
            assert_eq!(bounds.reads(&url), read, "{within} {url}");
        }
        assert!(Prefix::parse("http://").is_err());
        assert!(Prefix::parse("").is_err());
    }
}
