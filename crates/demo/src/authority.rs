//! A certificate authority for one simulated web, created for each; and the certificates of badly
//! maintained hosts.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use rcgen::{
    BasicConstraints, CertificateParams, CertifiedIssuer, DnType, IsCa, KeyPair, KeyUsagePurpose,
    date_time_ymd,
};
use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};

use crate::scenario::{Host, Tls};

/// The TLS configuration of a web, and the certificate that a client must trust.
pub(crate) struct Authority {
    /// The authority's own certificate, as PEM.
    pub(crate) pem: String,
    /// For hosts with a certificate of their own.
    of_host: BTreeMap<String, Arc<ServerConfig>>,
    /// For all others.
    config: Arc<ServerConfig>,
}

type Issuer = CertifiedIssuer<'static, KeyPair>;

impl Authority {
    pub(crate) fn new(hosts: &BTreeMap<String, Host>) -> Result<Authority, rcgen::Error> {
        let issuer = authority("Simulated web authority", None)?;
        let good = hosts.iter().filter(|(_, host)| host.tls == Tls::Good);
        // The mail server is addressed by its IP address.
        let here = ["localhost".to_owned(), "127.0.0.1".to_owned()];
        let names: Vec<String> = good.map(|(name, _)| name.clone()).chain(here).collect();
        let (leaf, key) = leaf(CertificateParams::new(names)?, Some(&issuer))?;
        let mut of_host = BTreeMap::new();
        for (name, host) in hosts {
            if let Some(config) = of(name, host.tls, &issuer)? {
                of_host.insert(name.clone(), config);
            }
        }
        Ok(Authority { pem: issuer.pem(), of_host, config: config(vec![leaf], key) })
    }

    /// The configuration for the host that a client names.
    pub(crate) fn of(&self, name: Option<&str>) -> Arc<ServerConfig> {
        let own = name.and_then(|name| self.of_host.get(name));
        Arc::clone(own.unwrap_or(&self.config))
    }
}

/// An authority, or an intermediate one signed by an issuer.
fn authority(name: &str, issuer: Option<&Issuer>) -> Result<Issuer, rcgen::Error> {
    let mut params = CertificateParams::new(Vec::new())?;
    params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    params.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
    params.distinguished_name.push(DnType::CommonName, name);
    let key = KeyPair::generate()?;
    match issuer {
        None => CertifiedIssuer::self_signed(params, key),
        Some(issuer) => CertifiedIssuer::signed_by(params, key, issuer),
    }
}

/// The configuration of a host with a faulty certificate.
fn of(name: &str, tls: Tls, issuer: &Issuer) -> Result<Option<Arc<ServerConfig>>, rcgen::Error> {
    let mut params = CertificateParams::new(vec![name.to_owned()])?;
    params.distinguished_name.push(DnType::CommonName, name);
    let intermediate;
    let by = match tls {
        Tls::Expired => {
            (params.not_before, params.not_after) =
                (date_time_ymd(2019, 1, 1), date_time_ymd(2020, 1, 1));
            Some(issuer)
        }
        Tls::EndsSoon => {
            let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default();
            // Ten days, and time for a test.
            let left = Duration::from_secs(10 * 86_400 + 3_600);
            params.not_after = date_time_ymd(1970, 1, 1) + now + left;
            Some(issuer)
        }
        Tls::NotYetValid => {
            (params.not_before, params.not_after) =
                (date_time_ymd(2090, 1, 1), date_time_ymd(2091, 1, 1));
            Some(issuer)
        }
        Tls::OtherHost => {
            params = CertificateParams::new(vec!["elsewhere.test".to_owned()])?;
            Some(issuer)
        }
        Tls::NoIssuer => {
            intermediate = authority("Simulated intermediate authority", Some(issuer))?;
            Some(&intermediate)
        }
        Tls::SelfSigned => None,
        Tls::Good | Tls::NothingInCommon | Tls::Plain | Tls::Silent => return Ok(None),
    };
    let (leaf, key) = leaf(params, by)?;
    Ok(Some(config(vec![leaf], key)))
}

fn leaf(
    params: CertificateParams,
    issuer: Option<&Issuer>,
) -> Result<(CertificateDer<'static>, PrivateKeyDer<'static>), rcgen::Error> {
    let key = KeyPair::generate()?;
    let certificate = match issuer {
        Some(issuer) => params.signed_by(&key, issuer)?,
        None => params.self_signed(&key)?,
    };
    Ok((certificate.der().clone(), PrivateKeyDer::Pkcs8(key.serialize_der().into())))
}

fn config(chain: Vec<CertificateDer<'static>>, key: PrivateKeyDer<'static>) -> Arc<ServerConfig> {
    let mut config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .expect("ring speaks TLS 1.2 and 1.3")
        .with_no_client_auth()
        .with_single_cert(chain, key)
        .expect("the key belongs to the certificate");
    config.alpn_protocols = vec![b"h2".to_vec(), b"http/1.1".to_vec()];
    Arc::new(config)
}
