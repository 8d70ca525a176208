//! The link encrypted, where the server is given a certificate (TLS 1.2 and 1.3).
use rustls_pki_types::pem::{Error as PemError, PemObject};
use rustls_pki_types::{CertificateDer, PrivateKeyDer, ServerName};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use thiserror::Error;
use tokio_rustls::rustls::{self, ClientConfig, RootCertStore, ServerConfig};
use tokio_rustls::{TlsAcceptor, TlsConnector};

/// Why the link cannot be encrypted.
#[derive(Debug, Error)]
pub enum TlsError {
    /// A file holds no certificate or key in PEM.
    #[error("{}: no certificate or key in PEM can be read there ({why})", .file.display())]
    Pem {
        /// Which.
        file: PathBuf,
        /// Why.
        why: PemError,
    },
    /// They do not fit.
    #[error("certificate and key cannot be used: {0}")]
    Fit(#[from] rustls::Error),
    /// The host's name is none.
    #[error("{0} is no name of a host")]
    Name(String),
}

fn certificates(file: &Path) -> Result<Vec<CertificateDer<'static>>, TlsError> {
    let wrong = |why| TlsError::Pem { file: file.to_owned(), why };
    let found: Vec<_> = CertificateDer::pem_file_iter(file).map_err(wrong)?.collect::<Result<_, _>>().map_err(wrong)?;
    if found.is_empty() { Err(wrong(PemError::NoItemsFound)) } else { Ok(found) }
}

/// What a server shows of itself: a certificate with its chain, and its key.
///
/// # Errors
/// [`TlsError`] where a file cannot be read, or they do not fit.
pub fn server_config(certificate: &Path, key: &Path) -> Result<ServerConfig, TlsError> {
    let key = PrivateKeyDer::from_pem_file(key).map_err(|why| TlsError::Pem { file: key.to_owned(), why })?;
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = ServerConfig::builder_with_provider(provider).with_safe_default_protocol_versions()?;
    Ok(config.with_no_client_auth().with_single_cert(certificates(certificate)?, key)?)
}

/// What lets rigs in by TLS.
///
/// # Errors
/// See [`server_config`].
pub fn acceptor(certificate: &Path, key: &Path) -> Result<TlsAcceptor, TlsError> {
    Ok(TlsAcceptor::from(Arc::new(server_config(certificate, key)?)))
}

/// What connects to a server whose certificate is one of this file's, or signed by one.
///
/// # Errors
/// [`TlsError`] where the file cannot be read.
pub fn connector(trusted: &Path) -> Result<TlsConnector, TlsError> {
    let mut roots = RootCertStore::empty();
    for certificate in certificates(trusted)? {
        roots.add(certificate)?;
    }
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = ClientConfig::builder_with_provider(provider).with_safe_default_protocol_versions()?;
    Ok(TlsConnector::from(Arc::new(config.with_root_certificates(roots).with_no_client_auth())))
}

/// The host of `host:port`, as a certificate names it.
///
/// # Errors
/// [`TlsError::Name`] where it is none.
pub fn host(address: &str) -> Result<ServerName<'static>, TlsError> {
    let host = address.rsplit_once(':').map_or(address, |(host, _)| host).trim_start_matches('[').trim_end_matches(']');
    ServerName::try_from(host.to_owned()).map_err(|_| TlsError::Name(host.to_owned()))
}
