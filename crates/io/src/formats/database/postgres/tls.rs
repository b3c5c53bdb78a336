use std::sync::Arc;

use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::client::{WebPkiServerVerifier, verify_server_name};
use rustls::crypto::{CryptoProvider, ring, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::server::ParsedCertificate;
use rustls::{CertificateError, ClientConfig, DigitallySignedStruct, Error, RootCertStore, SignatureScheme};
use tokio_postgres_rustls::MakeRustlsConnect;

use crate::formats::database::postgres::settings::Tls;

pub fn connector(how: Tls) -> Result<MakeRustlsConnect, String> {
    let provider = Arc::new(ring::default_provider());
    let builder = ClientConfig::builder_with_provider(Arc::clone(&provider));
    let builder = builder.with_safe_default_protocol_versions().map_err(|error| error.to_string())?;
    let verifier = match how {
        Tls::Unchecked => Verifier { provider, of_roots: None, trusted: Vec::new(), is_for_name: false },
        Tls::Checked { roots, is_for_name } => {
            let mut store = RootCertStore::empty();
            let certificates: Vec<CertificateDer> = match &roots {
                Some(file) => {
                    let failed = |error| format!("{} has no certificates that can be read ({error})", file.display());
                    let read = CertificateDer::pem_file_iter(file).and_then(Iterator::collect::<Result<Vec<_>, _>>);
                    read.map_err(failed)?
                }
                None => rustls_native_certs::load_native_certs().certs,
            };
            store.add_parsable_certificates(certificates.iter().cloned());
            let trusted = if roots.is_some() { certificates } else { Vec::new() };
            let built = WebPkiServerVerifier::builder_with_provider(Arc::new(store), Arc::clone(&provider)).build();
            let of_roots = built.map_err(|_| "no trusted certificates found".to_owned())?;
            Verifier { provider, of_roots: Some(of_roots), trusted, is_for_name }
        }
    };
    let config = builder.dangerous().with_custom_certificate_verifier(Arc::new(verifier)).with_no_client_auth();
    Ok(MakeRustlsConnect::new(config))
}

#[derive(Debug)]
struct Verifier {
    provider: Arc<CryptoProvider>,
    of_roots: Option<Arc<WebPkiServerVerifier>>,
    /// Certificates that are trusted directly, because a server's certificate can be self-signed.
    trusted: Vec<CertificateDer<'static>>,
    is_for_name: bool,
}

impl ServerCertVerifier for Verifier {
    fn verify_server_cert(
        &self,
        end: &CertificateDer,
        between: &[CertificateDer],
        name: &ServerName,
        response: &[u8],
        now: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        let Some(of_roots) = &self.of_roots else { return Ok(ServerCertVerified::assertion()) };
        if self.trusted.contains(end) {
            if self.is_for_name {
                verify_server_name(&ParsedCertificate::try_from(end)?, name)?;
            }
            return Ok(ServerCertVerified::assertion());
        }
        match of_roots.verify_server_cert(end, between, name, response, now) {
            // The name is checked last.
            Err(Error::InvalidCertificate(
                CertificateError::NotValidForName | CertificateError::NotValidForNameContext { .. },
            )) if !self.is_for_name => Ok(ServerCertVerified::assertion()),
            outcome => outcome,
        }
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        verify_tls12_signature(message, certificate, signed, &self.provider.signature_verification_algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        verify_tls13_signature(message, certificate, signed, &self.provider.signature_verification_algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.provider.signature_verification_algorithms.supported_schemes()
    }
}
