//! `velvet-dial key`: the public keys that this server's reports are checked with, and a new key for a shop.
use clap::Args;
use std::path::PathBuf;
use std::process::ExitCode;
use uuid::Uuid;
use velvet_dial_web::state::{KeyFileError, Keys};

/// Prints every public key of the server and its shops, for whoever checks reports.
#[derive(Debug, Args)]
pub struct Key {
    /// The server's private key file, as `serve` made it; the shops' keys lie beside it.
    #[arg(long, default_value = "var/mariadb/report-key.pem")]
    key_file: PathBuf,
    /// Give this shop a new key from its next report on. Its key is the name of its file in report-keys. The public half of the former one is kept.
    #[arg(long, value_name = "SHOP")]
    rotate: Option<Uuid>,
}

impl Key {
    /// Exit 0 when there is one.
    pub fn run(&self) -> ExitCode {
        match self.printed() {
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

    fn printed(&self) -> Result<String, KeyFileError> {
        // A command that prints keys makes none.
        std::fs::metadata(&self.key_file).map_err(|source| KeyFileError::File { file: self.key_file.display().to_string(), source })?;
        let keys = Keys::open(&self.key_file)?;
        if let Some(shop) = self.rotate {
            keys.rotate(shop, &chrono::Utc::now().format("%Y-%m-%d").to_string())?;
        }
        keys.public_of_all()
    }
}
