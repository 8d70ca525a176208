//! The key that signs this server's reports: made at the first start, kept in a file that only its owner reads.
use clap::Args;
use std::fs::{self, OpenOptions};
use std::io::{self, ErrorKind, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use thiserror::Error;
use velvet_dial_core::record::{KeyError, Signer};

/// Its name in the data folder.
pub const NAME: &str = "report-key.pem";

/// `velvet-dial key`: prints the public key, for whoever checks reports.
#[derive(Debug, Args)]
pub struct Key {
    /// The private key's file, as `serve` made it.
    #[arg(long, default_value = "var/mariadb/report-key.pem")]
    key_file: PathBuf,
}

/// Why there is no key.
#[derive(Debug, Error)]
pub enum SignerError {
    #[error("{file}: {source}")]
    File { file: String, source: io::Error },
    #[error(
        "{file}: {source}. Put the right file in its place, or move it away: a new key is made then, and what the old one signed is checked with the old public key"
    )]
    Key { file: String, source: KeyError },
    #[error("no random bytes could be had ({0})")]
    Random(String),
}

impl Key {
    /// Exit 0 when there is one.
    pub fn run(&self) -> ExitCode {
        match read(&self.key_file).and_then(|signer| public(&signer, &self.key_file)) {
            Ok(text) => {
                print!("{text}");
                ExitCode::SUCCESS
            }
            Err(error) => {
                eprintln!("{error}");
                ExitCode::FAILURE
            }
        }
    }
}

fn public(signer: &Signer, file: &Path) -> Result<String, SignerError> {
    signer.public_pem().map_err(|source| SignerError::Key { file: file.display().to_string(), source })
}

fn read(file: &Path) -> Result<Signer, SignerError> {
    let name = || file.display().to_string();
    let text = fs::read_to_string(file).map_err(|source| SignerError::File { file: name(), source })?;
    Signer::of_pem(&text).map_err(|source| SignerError::Key { file: name(), source })
}

/// The key of a file; made where there is none. Of two servers that begin at once both take the first one's.
pub fn signer(file: &Path) -> Result<Signer, SignerError> {
    if file.exists() {
        return read(file);
    }
    let wrong = |source| SignerError::File { file: file.display().to_string(), source };
    let text = made()?.to_pem().map_err(|source| SignerError::Key { file: file.display().to_string(), source })?;
    // Written whole beside it first: a start that is cut short leaves no half key.
    let beside = file.with_extension(format!("{}.new", std::process::id()));
    let mut opened = OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&beside).map_err(wrong)?;
    opened.write_all(text.as_bytes()).and_then(|()| opened.sync_all()).map_err(wrong)?;
    let linked = fs::hard_link(&beside, file);
    fs::remove_file(&beside).map_err(wrong)?;
    match linked {
        Err(error) if error.kind() != ErrorKind::AlreadyExists => Err(wrong(error)),
        _ => read(file),
    }
}

fn made() -> Result<Signer, SignerError> {
    let mut seed = [0u8; 32];
    getrandom::fill(&mut seed).map_err(|error| SignerError::Random(error.to_string()))?;
    Ok(Signer::of_seed(&seed))
}
