//! A certificate authority for one simulated web, made anew for each.

use std::sync::Arc;

use rcgen::{BasicConstraints, CertificateParams, DnType, IsCa, Issuer, KeyPair, KeyUsagePurpose};
use rustls::ServerConfig;
use rustls::crypto::ring;
use rustls::pki_types::PrivateKeyDer;

/// What a host's TLS needs, and what a visitor must trust.
pub(crate) struct Authority {
    /// The authority's own certificate, as PEM.
    pub(crate) pem: String,
    /// For all hosts of the web.
    pub(crate) config: Arc<ServerConfig>,
}

impl Authority {
    pub(crate) fn new(names: Vec<String>) -> Result<Authority, rcgen::Error> {
        let mut params = CertificateParams::new(Vec::new())?;
        params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
        params.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
        params.distinguished_name.push(DnType::CommonName, "Simulated web authority");
        let key = KeyPair::generate()?;
        let own = params.self_signed(&key)?;
        let issuer = Issuer::new(params, key);

        let key = KeyPair::generate()?;
        let leaf = CertificateParams::new(names)?.signed_by(&key, &issuer)?;
        let private = PrivateKeyDer::Pkcs8(key.serialize_der().into());
        let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
            .with_safe_default_protocol_versions()
            .expect("ring speaks TLS 1.2 and 1.3")
            .with_no_client_auth()
            .with_single_cert(vec![leaf.der().clone()], private)
            .expect("the key belongs to the certificate");
        Ok(Authority { pem: own.pem(), config: Arc::new(config) })
    }
}
