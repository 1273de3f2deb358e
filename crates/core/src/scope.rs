//! What belongs to the site that is checked, and what lies outside.

use serde::{Deserialize, Serialize};
use url::{Host, Url};

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
}

/// The bounds of a site: the host of its start, that host's `www.` or bare twin,
/// http and https, on the default ports.
///
/// A start on another port makes a site of that very port: what answers on the
/// other ports of a host is another server.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bounds {
    /// Lower case, as the URL standard serialises it.
    host: String,
    /// The same host with `www.` put before or taken away; none for an IP address.
    twin: Option<String>,
    /// `None`: the default port of either scheme.
    port: Option<u16>,
}

impl Bounds {
    /// The bounds of the site that this start belongs to.
    #[must_use]
    pub fn around(start: &Url) -> Bounds {
        let host = start.host_str().unwrap_or_default().to_owned();
        let twin = match start.host() {
            Some(Host::Domain(name)) => Some(match name.strip_prefix("www.") {
                Some(bare) => bare.to_owned(),
                None => format!("www.{name}"),
            }),
            _ => None,
        };
        Bounds { host, twin, port: start.port() }
    }

    /// On which side an address lies.
    #[must_use]
    pub fn scope(&self, address: &Url) -> Scope {
        let host = address.host_str().unwrap_or_default();
        let same_host = host == self.host || self.twin.as_deref() == Some(host);
        if same_host && address.port() == self.port && matches!(address.scheme(), "http" | "https")
        {
            Scope::Internal
        } else {
            Scope::External
        }
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
}

#[cfg(test)]
mod tests {
    use super::*;

    fn scope(start: &str, address: &str) -> Scope {
        Bounds::around(&Url::parse(start).unwrap()).scope(&Url::parse(address).unwrap())
    }

    #[test]
    fn twins_and_both_schemes_are_one_site() {
        for address in ["http://a.test/", "https://www.a.test/x", "http://www.a.test:80/"] {
            assert_eq!(scope("https://a.test/", address), Scope::Internal, "{address}");
            assert_eq!(scope("http://www.a.test/deep", address), Scope::Internal, "{address}");
        }
    }

    #[test]
    fn subdomains_and_other_ports_are_not() {
        for address in ["http://shop.a.test/", "http://a.test:8080/", "http://b.test/"] {
            assert_eq!(scope("http://a.test/", address), Scope::External, "{address}");
        }
        assert_eq!(scope("http://a.test:8080/", "http://a.test:8080/x"), Scope::Internal);
        assert_eq!(scope("http://a.test:8080/", "http://a.test/x"), Scope::External);
    }

    #[test]
    fn an_ip_address_has_no_twin() {
        assert_eq!(Bounds::around(&Url::parse("http://127.0.0.1:8000/").unwrap()).twin(), None);
    }
}
