//! Opens connections: DNS, policy, TCP, TLS, each with its time-out and failures.
//!
//! Whether a private address may be requested is decided here, from what the name resolves to,
//! before any [`ConnectRule`] and again for every hop.

use std::future::Future;
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::pin::Pin;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, OnceLock};
use std::task::{Context, Poll};
use std::time::{Duration, Instant};

use http::Uri;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::client::legacy::connect::dns::Name;
use hyper_util::client::legacy::connect::proxy::Tunnel;
use hyper_util::client::proxy::matcher::Intercept;
use hyper_util::rt::TokioIo;
use rummage_core::evidence::{Failure, Stage};
use rummage_core::url::network::{is_loopback, is_private, is_private_name};
use rustls::ClientConfig;
use rustls::pki_types::ServerName;
use tokio::net::TcpStream;
use tokio_rustls::TlsConnector;
use tower_service::Service;

use super::transport::Transport;
use super::trust::Trust;
use crate::config::ConnectRule;
use crate::resolve::Resolver;
use crate::{Config, tls};

/// What all dialers of a run share.
pub(crate) struct Network {
    resolver: Resolver,
    connect: Vec<ConnectRule>,
    tls: OnceLock<Arc<ClientConfig>>,
    config: Config,
    /// Which private addresses may be requested, which depends on the start URL.
    private: OnceLock<Private>,
    /// Names that could not be looked up behind a proxy, which may be the only one that can.
    unknown_behind_proxy: AtomicU32,
}

/// Which private addresses may be requested.
enum Private {
    All,
    /// Those of the start URL, if it has no public one; and names of private networks, if it has
    /// such a name.
    Only {
        own: Vec<IpAddr>,
        names: bool,
    },
}

/// Behind a proxy, names are looked up this long, and no more after so many failed.
const BEHIND_PROXY: Duration = Duration::from_secs(1);
const MOST_UNKNOWN: u32 = 3;

/// Opens connections within a time-out.
#[derive(Clone)]
pub(crate) struct Dialer {
    network: Arc<Network>,
    /// For TCP and TLS together.
    patience: Duration,
    /// For later attempts: names that failed are looked up again.
    anew: bool,
}

impl Network {
    pub(crate) fn new(config: Config) -> Network {
        Network {
            resolver: Resolver::new(config.dns, name_patience(config.timeout)),
            connect: config.connect.clone(),
            tls: OnceLock::new(),
            private: OnceLock::new(),
            unknown_behind_proxy: AtomicU32::new(0),
            config,
        }
    }

    /// The start URL decides which private addresses may be requested: its own, if it has no
    /// public one. A name that also leads to this machine opens nothing.
    pub(crate) async fn handle_start(&self, host: &str) {
        let ips = self.look_up(host, 0, false).await.unwrap_or_default();
        let own = if ips.iter().all(|ip| is_private(*ip)) { ips } else { Vec::new() };
        self.allow(self.config.allow_private, own, is_private_name(host));
    }

    /// The start is a local file or list: `private` if its host is.
    pub(crate) fn handle_start_at_hand(&self, private: bool) {
        self.allow(private || self.config.allow_private, Vec::new(), false);
    }

    fn allow(&self, all: bool, own: Vec<IpAddr>, names: bool) {
        // Decided once: nothing that a server says later changes it.
        let _ = self.private.set(if all { Private::All } else { Private::Only { own, names } });
    }

    fn allows(&self, ip: IpAddr) -> bool {
        !is_private(ip)
            || match self.private.get() {
                Some(Private::All) => true,
                Some(Private::Only { own, .. }) => own.contains(&ip),
                None => self.config.allow_private,
            }
    }

    fn allows_name(&self, host: &str) -> bool {
        !is_private_name(host)
            || match self.private.get() {
                Some(Private::All) => true,
                Some(Private::Only { names, .. }) => *names,
                None => self.config.allow_private,
            }
    }

    /// The addresses that may be requested.
    fn allowed(&self, ips: Vec<IpAddr>) -> Result<Vec<IpAddr>, Failure> {
        let first = ips.first().copied();
        let allowed: Vec<IpAddr> = ips.into_iter().filter(|ip| self.allows(*ip)).collect();
        match first {
            Some(first) if allowed.is_empty() => Err(Failure::Private(first)),
            _ => Ok(allowed),
        }
    }

    /// Whether a host may be requested through a proxy, as far as this machine knows its
    /// addresses: the proxy would reach what is private to its own network.
    async fn check_behind_proxy(&self, host: &str, port: u16) -> Result<(), Failure> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        let is_literal = bare.parse::<IpAddr>().is_ok();
        // The proxy may be the only one that can look it up.
        if !is_literal && !self.allows_name(host) {
            return Err(Failure::PrivateName);
        }
        if !is_literal && self.unknown_behind_proxy.load(Ordering::Relaxed) >= MOST_UNKNOWN {
            return Ok(());
        }
        let looked_up = tokio::time::timeout(BEHIND_PROXY, self.look_up(host, port, false)).await;
        match looked_up {
            Ok(Ok(ips)) => self.allowed(ips).map(drop),
            // Perhaps only the proxy can look it up.
            Ok(Err(_)) | Err(_) => {
                self.unknown_behind_proxy.fetch_add(1, Ordering::Relaxed);
                Ok(())
            }
        }
    }

    pub(crate) fn connect_rules(&self) -> &[ConnectRule] {
        &self.connect
    }

    /// Looks up the name of a host now, whatever is known of it. IP addresses need no lookup; a
    /// rule may name a host that does not exist yet, and behind a proxy our lookups prove nothing.
    pub(crate) async fn check_name(&self, host: &str) -> Result<(), Failure> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        if bare.parse::<IpAddr>().is_ok()
            || self.connect.iter().any(|rule| rule.names(host))
            || self.config.proxies.any()
        {
            return Ok(());
        }
        self.resolver.look_up_now(host).await.map(drop).map_err(Failure::Dns)
    }

    async fn look_up(&self, host: &str, port: u16, anew: bool) -> Result<Vec<IpAddr>, Failure> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        if let Ok(ip) = bare.parse() {
            return Ok(vec![ip]);
        }
        match self.resolver.addresses(host, anew).await {
            Ok(ips) => Ok(ips.to_vec()),
            // A rule says where this host is: its name need not exist yet.
            Err(_) if self.connect.iter().any(|r| r.names(host) && r.fits(host, port)) => {
                Ok(Vec::new())
            }
            Err(failure) => Err(Failure::Dns(failure)),
        }
    }

    async fn addresses(
        &self,
        host: &str,
        port: u16,
        anew: bool,
    ) -> Result<Vec<SocketAddr>, Failure> {
        let ips = self.allowed(self.look_up(host, port, anew).await?)?;
        match self.connect.iter().find(|rule| rule.fits(host, port)) {
            Some(rule) => Ok(vec![rule.to]),
            None => Ok(ips.into_iter().map(|ip| SocketAddr::new(ip, port)).collect()),
        }
    }

    fn tls(&self) -> Arc<ClientConfig> {
        Arc::clone(self.tls.get_or_init(|| tls::config(&self.config.ca_certs)))
    }
}

/// How long a lookup may take: a quarter of the time-out, and if that is short, up to half of it.
fn name_patience(timeout: Duration) -> Duration {
    (timeout / 4).max((timeout / 2).min(Duration::from_secs(1)))
}

impl Dialer {
    pub(crate) fn new(network: Arc<Network>, patience: Duration, anew: bool) -> Dialer {
        Dialer { network, patience, anew }
    }

    /// Opens a connection for a URI, to a server that is trusted so far.
    pub(super) async fn dial(&self, uri: &Uri, trust: Arc<Trust>) -> Result<Transport, Failure> {
        let host = uri.host().unwrap_or_default().to_owned();
        let secure = uri.scheme_str() == Some("https");
        let port = uri.port_u16().unwrap_or(if secure { 443 } else { 80 });
        let began = Instant::now();
        let stream = match self.network.config.proxies.of(uri) {
            Some(proxy) => {
                self.network.check_behind_proxy(&host, port).await?;
                let tunnel = self.through(&proxy, uri.clone(), secure);
                let stream = within(self.patience, Stage::Connect, tunnel).await?;
                if !secure {
                    return Ok(Transport::proxied(stream, trust));
                }
                stream
            }
            None => {
                let addresses = self.network.addresses(&host, port, self.anew).await?;
                let only_ipv6 = addresses.iter().all(SocketAddr::is_ipv6);
                let open = async { open(addresses).await.map_err(|e| of_open(&e, only_ipv6)) };
                within(self.patience, Stage::Connect, open).await?
            }
        };
        if !secure {
            return Ok(Transport::plain(stream, trust));
        }
        let left = self.patience.saturating_sub(began.elapsed());
        within(left, Stage::Tls, self.secure(&host, stream, trust)).await
    }

    async fn secure(
        &self,
        host: &str,
        stream: TcpStream,
        trust: Arc<Trust>,
    ) -> Result<Transport, Failure> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        let name = ServerName::try_from(bare.to_owned())
            .map_err(|_| Failure::BadResponse(format!("{host} cannot be a name in TLS")))?;
        let connector = TlsConnector::from(self.network.tls());
        let stream = connector.connect(name, stream).await.map_err(|e| tls::failure(&e))?;
        Ok(Transport::secure(stream, trust))
    }

    /// A connection to a proxy: plain requests are sent to it, TLS goes through a tunnel (RFC
    /// 9110 §9.3.6).
    async fn through(
        &self,
        proxy: &Intercept,
        to: Uri,
        secure: bool,
    ) -> Result<TcpStream, Failure> {
        let failed = |why: String| Failure::Proxy(why);
        let connector = ProxyConnector { network: Arc::clone(&self.network) };
        if !secure {
            let stream = connector.connect(proxy.uri().clone()).await;
            return stream.map_err(|error| failed(format!("the proxy: {error}")));
        }
        let mut tunnel = Tunnel::new(proxy.uri().clone(), connector);
        if let Some(auth) = proxy.basic_auth() {
            tunnel = tunnel.with_auth(auth.clone());
        }
        match tunnel.call(to).await {
            Ok(stream) => Ok(stream.into_inner()),
            Err(error) => Err(failed(format!("the proxy: {error}"))),
        }
    }
}

/// Whether a URI names this machine.
pub(super) fn is_near(uri: &Uri) -> bool {
    url::Url::parse(&uri.to_string()).is_ok_and(|url| is_loopback(&url))
}

async fn within<T>(
    patience: Duration,
    stage: Stage,
    work: impl Future<Output = Result<T, Failure>>,
) -> Result<T, Failure> {
    let timeout = Failure::Timeout(stage);
    tokio::time::timeout(patience, work).await.unwrap_or(Err(timeout))
}

/// Connects to the proxy itself.
#[derive(Clone)]
struct ProxyConnector {
    network: Arc<Network>,
}

impl ProxyConnector {
    async fn connect(self, proxy: Uri) -> io::Result<TcpStream> {
        let host = proxy.host().unwrap_or_default();
        let port = proxy.port_u16().unwrap_or(80);
        let ips = self.network.look_up(host, port, false).await;
        let ips = ips.map_err(|_| io::Error::other(format!("{host} has no IP address")))?;
        open(ips.into_iter().map(|ip| SocketAddr::new(ip, port)).collect()).await
    }
}

impl Service<Uri> for ProxyConnector {
    type Response = TokioIo<TcpStream>;
    type Error = io::Error;
    type Future = Pin<Box<dyn Future<Output = io::Result<TokioIo<TcpStream>>> + Send>>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<io::Result<()>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, proxy: Uri) -> Self::Future {
        let connector = self.clone();
        Box::pin(async move { connector.connect(proxy).await.map(TokioIo::new) })
    }
}

/// The failure for a connection that could not be opened.
fn of_open(error: &io::Error, only_ipv6: bool) -> Failure {
    let no_way =
        matches!(error.kind(), io::ErrorKind::NetworkUnreachable | io::ErrorKind::AddrNotAvailable);
    if only_ipv6 && no_way { Failure::NoIpv6 } else { of_io(error) }
}

/// Opens a TCP connection to the first address that responds, trying both families (RFC 8305), by
/// means of hyper-util's connector with a fixed resolver.
async fn open(addresses: Vec<SocketAddr>) -> io::Result<TcpStream> {
    let mut connector = HttpConnector::new_with_resolver(Known(addresses));
    connector.set_nodelay(true);
    match connector.call(Uri::from_static("http://known/")).await {
        Ok(stream) => Ok(stream.into_inner()),
        Err(error) => Err(io_error(&error)),
    }
}

/// The I/O error at the bottom of hyper-util's.
fn io_error(error: &(dyn std::error::Error + 'static)) -> io::Error {
    let mut at = Some(error);
    while let Some(error) = at {
        if let Some(io) = error.downcast_ref::<io::Error>() {
            return io.raw_os_error().map_or_else(
                || io::Error::new(io.kind(), io.to_string()),
                io::Error::from_raw_os_error,
            );
        }
        at = error.source();
    }
    io::Error::other(error.to_string())
}

/// A resolver with a fixed result.
#[derive(Clone)]
struct Known(Vec<SocketAddr>);

impl Service<Name> for Known {
    type Response = std::vec::IntoIter<SocketAddr>;
    type Error = io::Error;
    type Future = std::future::Ready<io::Result<Self::Response>>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<io::Result<()>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, _: Name) -> Self::Future {
        std::future::ready(Ok(self.0.clone().into_iter()))
    }
}

/// The failure for an I/O error before or during a response.
pub(crate) fn of_io(error: &io::Error) -> Failure {
    use io::ErrorKind as Kind;
    match error.kind() {
        Kind::ConnectionRefused => Failure::Refused,
        Kind::TimedOut => Failure::Timeout(Stage::Connect),
        Kind::ConnectionReset
        | Kind::ConnectionAborted
        | Kind::BrokenPipe
        | Kind::UnexpectedEof
        | Kind::NotConnected => Failure::Reset,
        _ => Failure::Unreachable,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_private_address_of_the_start_url_is_exempt() {
        let config = Config { allow_private: false, ..Config::for_tests() };
        let ip = |text: &str| -> IpAddr { text.parse().expect("it is an IP address") };
        let network = Network::new(config);
        network.allow(false, vec![ip("10.0.0.1")], false);
        let allowed = |ips: &[&str]| network.allowed(ips.iter().map(|text| ip(text)).collect());
        assert_eq!(allowed(&["10.0.0.1"]), Ok(vec![ip("10.0.0.1")]));
        assert_eq!(allowed(&["203.0.113.1", "127.0.0.1"]), Ok(vec![ip("203.0.113.1")]));
        assert_eq!(allowed(&["127.0.0.1"]), Err(Failure::Private(ip("127.0.0.1"))));
        assert_eq!(allowed(&[]), Ok(Vec::new()));
        network.allow(true, Vec::new(), true);
        assert!(allowed(&["127.0.0.1"]).is_err(), "it is decided once");
    }

    #[test]
    fn an_ipv6_only_host_is_reported_without_ipv6() {
        let no_way = || io::Error::from(io::ErrorKind::NetworkUnreachable);
        assert_eq!(of_open(&no_way(), true), Failure::NoIpv6);
        assert_eq!(of_open(&no_way(), false), Failure::Unreachable);
        let no_host = io::Error::from(io::ErrorKind::HostUnreachable);
        assert_eq!(of_open(&no_host, true), Failure::Unreachable);
        let refused = io::Error::from(io::ErrorKind::ConnectionRefused);
        assert_eq!(of_open(&refused, true), Failure::Refused);
    }
}
