//! TLS: which certificates are trusted, and what a failed handshake means.

use std::io;
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use rummage_core::evidence::{Failure, TlsFailure};
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, ring};
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{
    AlertDescription, CertificateError, ClientConfig, DigitallySignedStruct, OtherError,
    SignatureScheme,
};
use rustls_platform_verifier::Verifier;

/// The configuration of every TLS connection.
pub(crate) fn config(extra_roots: &[CertificateDer<'static>]) -> Arc<ClientConfig> {
    let provider = Arc::new(ring::default_provider());
    let system = Verifier::new_with_extra_roots(extra_roots.to_vec(), Arc::clone(&provider)).ok();
    let verifier = SelfSignedVerifier { system, provider: Arc::clone(&provider) };
    let mut config = ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .expect("ring speaks TLS 1.2 and 1.3")
        .dangerous()
        .with_custom_certificate_verifier(Arc::new(verifier))
        .with_no_client_auth();
    config.alpn_protocols = vec![b"h2".to_vec(), b"http/1.1".to_vec()];
    Arc::new(config)
}

/// When a certificate ends (RFC 5280 §4.1.2.5); `None` if it cannot be read.
pub(crate) fn end_of(certificate: &CertificateDer<'_>) -> Option<SystemTime> {
    let (_, certificate) = x509_parser::parse_x509_certificate(certificate).ok()?;
    let seconds = u64::try_from(certificate.validity().not_after.timestamp()).ok()?;
    SystemTime::UNIX_EPOCH.checked_add(Duration::from_secs(seconds))
}

/// The system's verifier, which also recognizes self-signed certificates. It trusts only what the
/// system trusts.
#[derive(Debug)]
struct SelfSignedVerifier {
    /// `None` if the system has no certificates.
    system: Option<Verifier>,
    provider: Arc<CryptoProvider>,
}

#[derive(Debug)]
struct SelfSigned;

impl std::fmt::Display for SelfSigned {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("self-signed certificate")
    }
}

impl std::error::Error for SelfSigned {}

impl ServerCertVerifier for SelfSignedVerifier {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        intermediates: &[CertificateDer<'_>],
        server: &ServerName<'_>,
        ocsp: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        let seen = match &self.system {
            Some(system) => {
                system.verify_server_cert(certificate, intermediates, server, ocsp, now)
            }
            None => Err(CertificateError::UnknownIssuer.into()),
        };
        let unknown = matches!(
            seen,
            Err(rustls::Error::InvalidCertificate(
                CertificateError::UnknownIssuer | CertificateError::Other(_)
            ))
        );
        if unknown && is_self_signed(certificate) {
            let error = OtherError(Arc::new(SelfSigned));
            return Err(CertificateError::Other(error).into());
        }
        seen
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        rustls::crypto::verify_tls12_signature(message, certificate, signature, algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        rustls::crypto::verify_tls13_signature(message, certificate, signature, algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.provider.signature_verification_algorithms.supported_schemes()
    }
}

fn is_self_signed(certificate: &CertificateDer<'_>) -> bool {
    webpki::EndEntityCert::try_from(certificate)
        .is_ok_and(|certificate| certificate.issuer() == certificate.subject())
}

/// What is wrong with the TLS of a mail server, and what to do, if an error is about that.
pub(crate) fn words_for_mail(error: &(dyn std::error::Error + 'static)) -> Option<&'static str> {
    let mut at = Some(error);
    while let Some(error) = at {
        let own = error.downcast_ref::<rustls::Error>();
        let inside = || error.downcast_ref::<io::Error>().and_then(inner);
        if let Some(error) = own.or_else(inside) {
            return Some(match (of_rustls(error), error) {
                (TlsFailure::Expired | TlsFailure::NotYetValid, _) => {
                    "its certificate has expired, or is not valid yet"
                }
                (TlsFailure::WrongHost, _) => {
                    "its certificate is for another host: set digest-server to the name in it"
                }
                (TlsFailure::UnknownIssuer | TlsFailure::SelfSigned, _)
                | (_, rustls::Error::InvalidCertificate(_)) => {
                    "its certificate is self-signed or from an unknown issuer: name a file with it, \
                     or with that of its issuer (PEM), in ca-cert"
                }
                (TlsFailure::Unsupported, _) => "it has no TLS version or cipher in common with us",
                (TlsFailure::NotTls, _) => {
                    "it does not speak TLS on this port: set digest-security to starttls or none"
                }
                _ => "the TLS handshake failed",
            });
        }
        at = error.source();
    }
    None
}

/// The failure for a failed handshake.
pub(crate) fn failure(error: &io::Error) -> Failure {
    if let Some(error) = inner(error) {
        return Failure::Tls(of_rustls(error));
    }
    match error.kind() {
        io::ErrorKind::ConnectionReset => Failure::Reset,
        io::ErrorKind::UnexpectedEof => Failure::Tls(TlsFailure::Other(
            "the server closed the connection during the handshake".to_owned(),
        )),
        _ => Failure::Tls(TlsFailure::Other(error.to_string())),
    }
}

/// rustls errors are inside I/O errors, not behind `source()`.
fn inner(error: &io::Error) -> Option<&rustls::Error> {
    let inner = error.get_ref()?;
    match inner.downcast_ref::<io::Error>() {
        Some(deeper) => self::inner(deeper),
        None => inner.downcast_ref(),
    }
}

fn of_rustls(error: &rustls::Error) -> TlsFailure {
    use CertificateError as C;
    match error {
        rustls::Error::InvalidCertificate(C::Expired | C::ExpiredContext { .. }) => {
            TlsFailure::Expired
        }
        rustls::Error::InvalidCertificate(C::NotValidYet | C::NotValidYetContext { .. }) => {
            TlsFailure::NotYetValid
        }
        rustls::Error::InvalidCertificate(
            C::NotValidForName | C::NotValidForNameContext { .. },
        ) => TlsFailure::WrongHost,
        rustls::Error::InvalidCertificate(C::UnknownIssuer) => TlsFailure::UnknownIssuer,
        rustls::Error::InvalidCertificate(C::Other(OtherError(why))) if why.is::<SelfSigned>() => {
            TlsFailure::SelfSigned
        }
        rustls::Error::PeerIncompatible(_)
        | rustls::Error::AlertReceived(
            AlertDescription::HandshakeFailure
            | AlertDescription::ProtocolVersion
            | AlertDescription::InsufficientSecurity,
        ) => TlsFailure::Unsupported,
        rustls::Error::InvalidMessage(_) => TlsFailure::NotTls,
        other => TlsFailure::Other(other.to_string()),
    }
}
