//! The settings for requests, as the engine needs them.

use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use http::{HeaderValue, Uri};
use hyper_util::client::proxy::matcher::{Intercept, Matcher};
use rummage_core::url::network::is_loopback;
use rummage_core::url::pattern::fits;
use rustls::pki_types::CertificateDer;

use crate::{Credentials, LocalFiles};

/// The default `User-Agent`.
pub const DEFAULT_USER_AGENT: &str =
    concat!("Mozilla/5.0 (compatible; rummage/", env!("CARGO_PKG_VERSION"), ")");

/// The settings of the engine.
#[derive(Debug, Clone)]
pub struct Config {
    /// The `User-Agent` header.
    pub user_agent: HeaderValue,
    /// Headers that the user gives, and where they are sent.
    pub credentials: Credentials,
    /// How long to wait for the first byte of a response.
    pub timeout: Duration,
    /// The DNS server; `None` for that of the system.
    pub dns: Option<SocketAddr>,
    /// Where to connect instead of where host names resolve. The first rule that matches counts.
    pub connect: Vec<ConnectRule>,
    /// Certificates to trust in addition to the system's.
    pub ca_certs: Vec<CertificateDer<'static>>,
    /// Whether private addresses are requested whatever the start URL is.
    pub allow_private: bool,
    /// How many bytes of a page or stylesheet are read, decoded.
    pub max_size: usize,
    /// How many links of a page are read.
    pub max_links: usize,
    /// The proxies for requests.
    pub proxies: Proxies,
    /// Files that are read from disk instead of requested.
    pub local_files: LocalFiles,
}

#[cfg(test)]
impl Config {
    /// For requests to servers on this machine.
    pub(crate) fn for_tests() -> Config {
        Config {
            user_agent: HeaderValue::from_static("test"),
            credentials: Credentials::default(),
            timeout: Duration::from_secs(1),
            dns: None,
            connect: Vec::new(),
            ca_certs: Vec::new(),
            allow_private: true,
            max_size: 1,
            max_links: 1,
            proxies: Proxies::none(),
            local_files: LocalFiles::default(),
        }
    }
}

/// The proxies for requests. This machine is never requested through one.
#[derive(Debug, Clone, Default)]
pub struct Proxies(Option<Arc<Matcher>>);

impl Proxies {
    /// None.
    #[must_use]
    pub fn none() -> Proxies {
        Proxies(None)
    }

    /// This one for everything, with the exceptions in the variable `NO_PROXY`.
    #[must_use]
    pub fn one(proxy: &str) -> Proxies {
        let no = ["NO_PROXY", "no_proxy"].iter().find_map(|name| std::env::var(name).ok());
        Proxies(Some(Arc::new(Matcher::builder().all(proxy).no(no.unwrap_or_default()).build())))
    }

    /// Those in the environment: `HTTP_PROXY`, `HTTPS_PROXY`, `ALL_PROXY`, and `NO_PROXY` for the
    /// exceptions, in upper or lower case.
    #[must_use]
    pub fn of_environment() -> Proxies {
        const NAMES: [&str; 6] =
            ["HTTP_PROXY", "http_proxy", "HTTPS_PROXY", "https_proxy", "ALL_PROXY", "all_proxy"];
        let any = NAMES.iter().any(|name| std::env::var(name).is_ok_and(|value| !value.is_empty()));
        Proxies(any.then(|| Arc::new(Matcher::from_env())))
    }

    /// Whether any request may go through a proxy.
    #[must_use]
    pub fn any(&self) -> bool {
        self.0.is_some()
    }

    /// The proxy for a URL.
    pub(crate) fn of(&self, uri: &Uri) -> Option<Intercept> {
        let matcher = self.0.as_ref()?;
        let url = url::Url::parse(&uri.to_string()).ok()?;
        if is_loopback(&url) { None } else { matcher.intercept(uri) }
    }
}

/// Connects to another address for a host. Names stay as they are: in `Host`, in TLS, in every
/// output.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ConnectRule {
    /// The host; `*` matches any text.
    pub host: String,
    /// The port; `None` for every port.
    pub port: Option<u16>,
    /// Where to connect.
    pub to: SocketAddr,
}

impl ConnectRule {
    /// Whether the rule applies to this host and port.
    #[must_use]
    pub fn fits(&self, host: &str, port: u16) -> bool {
        fits(&self.host, host) && self.port.is_none_or(|own| own == port)
    }

    /// Whether the rule names this host exactly, so that its name need not exist.
    #[must_use]
    pub fn names(&self, host: &str) -> bool {
        self.host == host
    }
}
