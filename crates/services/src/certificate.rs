//! The certificates of a shop that has none of its own: an authority that is made once and that tablets trust, and the server's certificate, which the authority signs anew at each start.
use crate::mariadb::write_private;
use chrono::{Datelike, NaiveDate, TimeDelta};
use rcgen::{BasicConstraints, CertificateParams, DnType, ExtendedKeyUsagePurpose, IsCa, Issuer, KeyPair, KeyUsagePurpose, date_time_ymd};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use thiserror::Error;
use time::OffsetDateTime;

/// Days that the server's certificate holds: browsers take none that holds longer than 825.
const SERVER_DAYS: i64 = 800;
/// Years that the authority holds.
const AUTHORITY_YEARS: i32 = 20;

/// Why there are no certificates.
#[derive(Debug, Error)]
pub enum CertificateError {
    /// A file.
    #[error("{}: {source}", .path.display())]
    File {
        /// Which.
        path: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A key cannot be read, or a name is none.
    #[error("{0}")]
    Made(#[from] rcgen::Error),
    /// A key that was made cannot be written.
    #[error("{0}")]
    Written(#[from] crate::mariadb::StartError),
}

/// Where they are, as PEM.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Certificates {
    /// What a tablet is given, once.
    pub authority: PathBuf,
    /// The server's, and its key.
    pub server: PathBuf,
    /// Readable by nobody else.
    pub key: PathBuf,
}

fn day(day: NaiveDate) -> OffsetDateTime {
    date_time_ymd(day.year(), day.month() as u8, day.day() as u8)
}

/// The authority's, which follow from its key and nothing that changes: made again they are the same issuer.
fn authority() -> CertificateParams {
    let mut params = CertificateParams::default();
    params.distinguished_name.push(DnType::CommonName, "Velvet Dial, this shop's own authority");
    params.is_ca = IsCa::Ca(BasicConstraints::Constrained(0));
    params.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
    params
}

/// The certificates in a folder, for a server that browsers reach by these names and addresses on this day.
///
/// # Errors
/// [`CertificateError`] where a file cannot be read or written, or a name is none.
pub fn certificates(folder: &Path, names: &[String], today: NaiveDate) -> Result<Certificates, CertificateError> {
    let file = |path: &Path| {
        let path = path.to_owned();
        move |source| CertificateError::File { path, source }
    };
    fs::create_dir_all(folder).map_err(file(folder))?;
    let made =
        Certificates { authority: folder.join("authority.pem"), server: folder.join("server.pem"), key: folder.join("server.key.pem") };
    let own_key = folder.join("authority.key.pem");
    let key = if own_key.exists() && made.authority.exists() {
        KeyPair::from_pem(&fs::read_to_string(&own_key).map_err(file(&own_key))?)?
    } else {
        let key = KeyPair::generate()?;
        let mut params = authority();
        params.not_before = day(today - TimeDelta::days(1));
        params.not_after = date_time_ymd(today.year() + AUTHORITY_YEARS, 1, 1);
        write_private(&own_key, &key.serialize_pem())?;
        fs::write(&made.authority, params.self_signed(&key)?.pem()).map_err(file(&made.authority))?;
        key
    };
    let issuer = Issuer::new(authority(), key);
    let server_key = KeyPair::generate()?;
    let mut params = CertificateParams::new(names)?;
    params.distinguished_name.push(DnType::CommonName, "Velvet Dial");
    params.extended_key_usages = vec![ExtendedKeyUsagePurpose::ServerAuth];
    params.use_authority_key_identifier_extension = true;
    params.not_before = day(today - TimeDelta::days(1));
    params.not_after = day(today + TimeDelta::days(SERVER_DAYS));
    let signed = params.signed_by(&server_key, &issuer)?;
    write_private(&made.key, &server_key.serialize_pem())?;
    fs::write(&made.server, signed.pem()).map_err(file(&made.server))?;
    Ok(made)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;

    #[test]
    fn an_authority_is_made_once_and_the_servers_certificate_at_each_start() -> Result<(), Box<dyn std::error::Error>> {
        let folder = tempfile::tempdir()?;
        let today = NaiveDate::from_ymd_opt(2026, 12, 1).ok_or("a day")?;
        let names = ["localhost".to_owned(), "127.0.0.1".to_owned()];
        let first = certificates(&folder.path().join("tls"), &names, today)?;
        let (authority, server) = (fs::read_to_string(&first.authority)?, fs::read_to_string(&first.server)?);
        let second = certificates(&folder.path().join("tls"), &names, today + TimeDelta::days(300))?;
        assert_eq!((fs::read_to_string(&second.authority)?, &second), (authority.clone(), &first));
        assert!(fs::read_to_string(&second.server)? != server && server.contains("BEGIN CERTIFICATE"));
        for private in ["authority.key.pem", "server.key.pem"] {
            let mode = fs::metadata(folder.path().join("tls").join(private))?.permissions().mode();
            assert_eq!(mode & 0o077, 0, "{private}");
        }
        assert!(!authority.contains("PRIVATE") && certificates(&folder.path().join("x"), &["no name\u{e9}".to_owned()], today).is_err());
        Ok(())
    }
}
