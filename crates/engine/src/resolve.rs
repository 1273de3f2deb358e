//! From host names to IP addresses, with one look-up per name.
//!
//! hickory does the look-ups: names are absolute, the hosts file is used, both address families
//! are queried. It does not cache failures, so all results are cached here; later attempts look
//! failures up again.

use std::collections::HashMap;
use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use hickory_resolver::TokioResolver;
use hickory_resolver::config::{
    ConnectionConfig, LookupIpStrategy, NameServerConfig, ResolveHosts, ResolverConfig,
    ResolverOpts,
};
use hickory_resolver::net::runtime::TokioRuntimeProvider;
use hickory_resolver::net::{DnsError, NetError};
use hickory_resolver::proto::op::ResponseCode;
use rummage_core::evidence::DnsFailure;
use tokio::sync::OnceCell;

type Lookup = Result<Arc<[IpAddr]>, DnsFailure>;

/// Looks up host names. See the [module](self).
pub(crate) struct Resolver {
    /// `None` if the system has no DNS server and none was given.
    hickory: Option<TokioResolver>,
    /// The same without a cache.
    uncached: Option<TokioResolver>,
    known: Mutex<HashMap<String, Known>>,
    patience: Duration,
}

/// A name that was looked up.
#[derive(Default)]
struct Known {
    lookup: Arc<OnceCell<Lookup>>,
    /// When it was last looked up again.
    again: Option<Instant>,
}

impl Resolver {
    pub(crate) fn new(server: Option<SocketAddr>, patience: Duration) -> Resolver {
        let (hickory, uncached) = (build(server, patience, true), build(server, patience, false));
        Resolver { hickory, uncached, known: Mutex::default(), patience }
    }

    /// The addresses of a host name. With `anew`, a failed look-up is repeated.
    pub(crate) async fn addresses(&self, host: &str, anew: bool) -> Lookup {
        let cell = {
            let mut known = self.known.lock().expect("nothing panics while it holds the names");
            // A failure that was looked up again holds for as long as a lookup may take: one
            // confirmation is for all URLs of the host.
            let name = known.entry(host.to_owned()).or_default();
            let holds = name.again.is_some_and(|again| again.elapsed() < self.patience);
            if anew && !holds && matches!(name.lookup.get(), Some(Err(_))) {
                *name = Known { again: Some(Instant::now()), ..Known::default() };
            }
            Arc::clone(&name.lookup)
        };
        cell.get_or_init(|| self.look_up(&self.hickory, host)).await.clone()
    }

    /// Looks up a name now, whatever is known of it; nothing is kept of the result.
    pub(crate) async fn look_up_now(&self, host: &str) -> Lookup {
        self.look_up(&self.uncached, host).await
    }

    async fn look_up(&self, hickory: &Option<TokioResolver>, host: &str) -> Lookup {
        let Some(hickory) = hickory else {
            return Err(DnsFailure::ServerFailure("no DNS server is configured".to_owned()));
        };
        let absolute = format!("{}.", host.trim_end_matches('.'));
        match tokio::time::timeout(self.patience, hickory.lookup_ip(absolute)).await {
            Err(_) => Err(DnsFailure::Silence),
            Ok(Err(error)) => Err(failure(&error)),
            Ok(Ok(found)) => {
                let addresses: Arc<[IpAddr]> = found.iter().collect();
                if addresses.is_empty() { Err(DnsFailure::NoAddress) } else { Ok(addresses) }
            }
        }
    }
}

fn build(
    server: Option<SocketAddr>,
    patience: Duration,
    with_cache: bool,
) -> Option<TokioResolver> {
    let mut builder = match server {
        Some(server) => {
            let connections = [ConnectionConfig::udp(), ConnectionConfig::tcp()].map(|mut way| {
                way.port = server.port();
                way
            });
            let server = NameServerConfig::new(server.ip(), true, connections.to_vec());
            let config = ResolverConfig::from_name_servers(vec![server]);
            TokioResolver::builder_with_config(config, TokioRuntimeProvider::default())
        }
        None => TokioResolver::builder_tokio().ok()?,
    };
    set(builder.options_mut(), patience);
    if !with_cache {
        builder.options_mut().cache_size = 0;
    }
    builder.build().ok()
}

fn set(options: &mut ResolverOpts, patience: Duration) {
    options.timeout = patience / 2;
    options.attempts = 2;
    options.ip_strategy = LookupIpStrategy::Ipv4AndIpv6;
    options.use_hosts_file = ResolveHosts::Always;
    options.max_active_requests = 256;
}

fn failure(error: &NetError) -> DnsFailure {
    match error {
        NetError::Dns(DnsError::NoRecordsFound(none)) => match none.response_code {
            ResponseCode::NXDomain => DnsFailure::NoSuchName,
            ResponseCode::NoError => DnsFailure::NoAddress,
            code => DnsFailure::ServerFailure(code.to_string()),
        },
        NetError::Dns(DnsError::ResponseCode(code)) => DnsFailure::ServerFailure(code.to_string()),
        NetError::Timeout => DnsFailure::Silence,
        other => DnsFailure::ServerFailure(other.to_string()),
    }
}
