//! What is internal to the site, and what is external.

use serde::{Deserialize, Serialize};
use url::{Host, Position, Url};

/// The scope of a URL.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Scope {
    /// Within the bounds of the site: pages are parsed for links.
    Internal,
    /// Outside: checked, but not parsed for links.
    External,
}

impl Scope {
    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Scope::Internal => "internal",
            Scope::External => "external",
        }
    }

    /// The scope with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Scope> {
        [Scope::Internal, Scope::External].into_iter().find(|scope| scope.as_str() == name)
    }
}

/// The bounds of a site: the host of its start URL, that host's `www.` or bare twin, http and
/// https, on the default ports, and what prefixes add.
///
/// A start URL on another port makes a site of that port alone: other ports of a host are other
/// servers. A prefix with another host or port adds what it matches. Prefixes for the start's own
/// hosts limit which pages are parsed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bounds {
    /// In lower case, as the URL standard serializes it.
    host: String,
    /// The same host with `www.` added or removed; none for an IP address.
    twin: Option<String>,
    /// `None` for the default port of either scheme.
    port: Option<u16>,
    within: Vec<Prefix>,
}

/// A prefix of URLs: `/docs/`, `shop.a.test`, `https://a.test:8443/docs/`. The scheme is ignored.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Prefix {
    written: String,
    /// Host and port; `None` for those of the start URL.
    server: Option<(String, Option<u16>)>,
    /// A prefix of path and query.
    path: String,
}

impl Prefix {
    /// Parses a prefix.
    ///
    /// # Errors
    /// If it is neither a path nor a URL.
    pub fn parse(written: &str) -> Result<Prefix, url::ParseError> {
        let (server, path) = if written.starts_with('/') && !written.starts_with("//") {
            // Percent-encoded as in URLs.
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

    /// The whole host of a start URL and its twin, on its port, to add it to another site.
    #[must_use]
    pub fn all_of(start: &Url) -> Vec<Prefix> {
        let bounds = Bounds::around(start, &[]);
        let port = start.port().map_or_else(String::new, |port| format!(":{port}"));
        let hosts = start.host_str().into_iter().chain(bounds.twin());
        hosts.filter_map(|host| Prefix::parse(&format!("{host}{port}/")).ok()).collect()
    }

    /// Whether it has only a path, for whatever host the site has.
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

/// The prefix of a list's name.
const LISTS: &str = "./";

impl Bounds {
    /// The bounds of the site that this start URL belongs to.
    #[must_use]
    pub fn around(start: &Url, within: &[Prefix]) -> Bounds {
        if start.scheme() == "file" {
            // No host has such a name.
            let name = start.path_segments().and_then(|mut parts| parts.next_back());
            let host = format!("{LISTS}{}", name.unwrap_or_default());
            return Bounds { host, twin: None, port: None, within: within.to_vec() };
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

    /// The scope of a URL.
    #[must_use]
    pub fn scope(&self, url: &Url) -> Scope {
        let is_web = matches!(url.scheme(), "http" | "https");
        // A list counts as internal when lists are checked.
        if url.scheme() == "file" && self.is_of_lists() {
            return Scope::Internal;
        }
        if is_web && (self.is_own(url) || self.is_within(url)) {
            Scope::Internal
        } else {
            Scope::External
        }
    }

    /// Whether an internal URL is to be parsed for links.
    #[must_use]
    pub fn reads(&self, url: &Url) -> bool {
        let confined =
            || self.within.iter().any(|prefix| prefix.server.as_ref().is_none_or(|s| self.owns(s)));
        self.is_within(url) || (self.is_own(url) && !confined())
    }

    /// Whether a server is the start URL's own.
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

    /// The host of the start URL, with its port unless that is the default.
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

    /// The prefixes that limit or extend the site.
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
    fn a_prefix_is_shown_as_it_was_written() {
        for written in ["/news/", "a.test/news/", "https://a.test/"] {
            assert_eq!(Prefix::parse(written).unwrap().as_str(), written);
        }
    }

    #[test]
    fn a_list_may_have_urls_of_the_users_own_site() {
        let list = Url::parse("file:///list").unwrap();
        let site = Url::parse("https://www.a.test/").unwrap();
        let bounds = Bounds::around(&list, &Prefix::all_of(&site));
        let scope = |url: &str| bounds.scope(&Url::parse(url).unwrap());
        assert_eq!(scope("https://a.test/x"), Scope::Internal);
        assert_eq!(scope("https://b.test/x"), Scope::External);
        assert_eq!(Bounds::around(&list, &[]).scope(&site), Scope::External);
    }

    #[test]
    fn twins_and_both_schemes_are_one_site() {
        for url in ["http://a.test/", "https://www.a.test/x", "http://www.a.test:80/"] {
            assert_eq!(scope("https://a.test/", url), Scope::Internal, "{url}");
            assert_eq!(scope("http://www.a.test/deep", url), Scope::Internal, "{url}");
        }
    }

    #[test]
    fn subdomains_and_other_ports_are_external() {
        for url in ["http://shop.a.test/", "http://a.test:8080/", "http://b.test/"] {
            assert_eq!(scope("http://a.test/", url), Scope::External, "{url}");
        }
        assert_eq!(scope("http://a.test:8080/", "http://a.test:8080/x"), Scope::Internal);
        assert_eq!(scope("http://a.test:8080/", "http://a.test/x"), Scope::External);
    }

    #[test]
    fn a_file_belongs_to_no_site() {
        let start = Url::parse("http://a.test/").unwrap();
        let file = Url::parse("file:///list.txt").unwrap();
        assert_eq!(Bounds::around(&start, &[]).scope(&file), Scope::External);
    }

    #[test]
    fn an_ip_address_has_no_twin() {
        let start = Url::parse("http://127.0.0.1:8000/").unwrap();
        assert_eq!(Bounds::around(&start, &[]).twin(), None);
    }

    #[test]
    fn prefixes_limit_own_hosts_and_add_others() {
        // Prefixes, URL: its scope, and whether it is parsed.
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
