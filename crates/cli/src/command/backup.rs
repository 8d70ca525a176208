//! `velvet-dial backup`: the database and the server's keys in one file, while the server runs or not.
use super::database::{OpenError, Where};
use clap::Args;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use thiserror::Error;
use velvet_dial_services::backup::{self, BackupError, Source, Taken};
use velvet_dial_store::{Connection, StoreError, tables};
use velvet_dial_web::state::{KEY_FILE, KEY_FOLDER, SEALS_FILE};

/// Folder of the backups, in the data folder.
pub const FOLDER: &str = "backups";
/// Folder of the server's own certificates, in the data folder.
pub const TLS: &str = "tls";

/// Where backups go, how many are kept, and for whom they are encrypted.
#[derive(Debug, Args)]
pub struct Keeping {
    /// Folder of the backups, best on another disk; backups in the data folder when left out.
    #[arg(long)]
    backups: Option<PathBuf>,
    /// Backups that are kept; older ones are removed.
    #[arg(long, default_value_t = 14, value_parser = clap::value_parser!(u16).range(1..))]
    keep_backups: u16,
    /// Encrypt them for the owner of this age public key (age1…); may be given more than once. `age-keygen` makes a pair; keep the private key off this machine.
    #[arg(long, value_parser = recipient)]
    encrypt_backups_to: Vec<String>,
}

/// Take a backup.
#[derive(Debug, Args)]
pub struct Backup {
    /// File of the key that signs reports; report-key.pem in the data folder when left out.
    #[arg(long)]
    report_key: Option<PathBuf>,
    #[command(flatten)]
    keeping: Keeping,
    #[command(flatten)]
    at: Where,
}

/// Why there is no backup.
#[derive(Debug, Error)]
pub enum TakeError {
    #[error(transparent)]
    Open(#[from] OpenError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Backup(#[from] BackupError),
    #[error("it was broken off")]
    BrokenOff,
}

fn recipient(text: &str) -> Result<String, String> {
    let plain = text.starts_with("age1") && text.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit());
    if plain { Ok(text.to_owned()) } else { Err("give a public key of age, such as age1qx…; age-keygen prints it".to_owned()) }
}

/// What a backup is taken of.
#[derive(Debug, Clone)]
pub struct Of {
    /// Address of the database, as its owner.
    pub url: String,
    /// It is the private one.
    pub private: bool,
    /// The data folder.
    pub data: PathBuf,
    /// The file of the key that signs reports.
    pub report_key: PathBuf,
}

impl Keeping {
    /// Somebody named a folder for them.
    pub fn is_asked_for(&self) -> bool {
        self.backups.is_some()
    }

    /// The folder of the backups.
    pub fn folder(&self, data: &Path) -> PathBuf {
        self.backups.clone().unwrap_or_else(|| data.join(FOLDER))
    }

    /// Takes one, and notes in the folder how it went.
    pub async fn take(&self, db: &Connection, of: &Of) -> Result<Taken, TakeError> {
        let rows = tables::lasting_rows(db).await?;
        let (of, folder) = (of.clone(), self.folder(&of.data));
        let (recipients, keep) = (self.encrypt_backups_to.clone(), usize::from(self.keep_backups));
        let taken = tokio::task::spawn_blocking(move || {
            let beside = |name: &str| (name.to_owned(), of.report_key.with_file_name(name));
            let files = vec![
                beside(SEALS_FILE),
                beside(KEY_FOLDER),
                (KEY_FILE.to_owned(), of.report_key.clone()),
                (TLS.to_owned(), of.data.join(TLS)),
            ];
            let source = Source { url: &of.url, has_log: of.private, files, rows, version: env!("CARGO_PKG_VERSION") };
            let taken = backup::take(&source, &folder, &recipients, keep);
            if !matches!(taken, Err(BackupError::Busy(_))) {
                backup::note(&folder, &taken)?;
            }
            taken
        });
        Ok(taken.await.map_err(|_| TakeError::BrokenOff)??)
    }

    /// Copies the binary log of a private database to backups that lie elsewhere. Beside it in the data folder a copy would help nobody.
    pub async fn copy_log(&self, of: &Of) -> Result<(), TakeError> {
        let folder = self.folder(&of.data);
        if !of.private || folder.starts_with(&of.data) {
            return Ok(());
        }
        let (of, recipients) = (of.clone(), self.encrypt_backups_to.clone());
        let log = velvet_dial_services::mariadb::MariaDb::log_folder(&of.data);
        let copied = tokio::task::spawn_blocking(move || backup::copy_log(&of.url, &log, &folder, &recipients));
        Ok(copied.await.map_err(|_| TakeError::BrokenOff)??)
    }
}

impl Backup {
    /// Runs it.
    pub fn run(self) -> ExitCode {
        match actix_web::rt::System::new().block_on(self.act()) {
            Ok(taken) => {
                println!("{}: {:.1} MB in {:.1} s.", taken.file.display(), taken.bytes as f64 / 1e6, taken.took.as_secs_f64());
                if self.keeping.encrypt_backups_to.is_empty() {
                    println!(
                        "It holds the shop's keys and what customers said: keep it as you keep the server, or encrypt it with --encrypt-backups-to."
                    );
                }
                ExitCode::SUCCESS
            }
            Err(error) => {
                eprintln!("No backup was taken: {error}");
                ExitCode::FAILURE
            }
        }
    }

    async fn act(&self) -> Result<Taken, TakeError> {
        let opened = self.at.open_as_it_is().await?;
        let data = self.at.data().to_owned();
        let report_key = self.report_key.clone().unwrap_or_else(|| data.join(KEY_FILE));
        let of = Of { url: opened.url.clone(), private: self.at.is_private(), data, report_key };
        let taken = self.keeping.take(&opened.db, &of).await?;
        self.keeping.copy_log(&of).await?;
        Ok(taken)
    }
}
