//! The database a command works on: one that is named, the private one of a running server, or the private one started for the command.
use clap::Args;
use std::path::PathBuf;
use thiserror::Error;
use velvet_dial_services::mariadb::{MariaDb, StartError};
use velvet_dial_store::{Connection, StoreError};

/// Where it is.
#[derive(Debug, Args)]
pub struct Where {
    /// Address of a MariaDB; without it the private one under --data, running or not.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: Option<String>,
    /// Folder of the private MariaDB.
    #[arg(long, default_value = "var/mariadb")]
    data: PathBuf,
}

/// Why it could not be opened.
#[derive(Debug, Error)]
pub enum OpenError {
    #[error(transparent)]
    Private(#[from] StartError),
    #[error("the database does not take us: {0}")]
    Store(#[from] StoreError),
}

/// An open database; a private one that was started for the command ends with it.
pub struct Opened {
    pub db: Connection,
    _private: Option<MariaDb>,
}

impl Where {
    /// Folder of the private MariaDB, beside which the server keeps its key.
    pub fn data(&self) -> &std::path::Path {
        &self.data
    }

    /// Opens it.
    pub async fn open(&self) -> Result<Opened, OpenError> {
        let known = match &self.database_url {
            Some(url) => Some(url.clone()),
            None => MariaDb::url_of_running(&self.data)?,
        };
        if let Some(url) = known {
            return Ok(Opened { db: velvet_dial_store::open(&url).await?, _private: None });
        }
        let private = MariaDb::start(&self.data, false)?;
        Ok(Opened { db: velvet_dial_store::open(&private.url()).await?, _private: Some(private) })
    }
}
