//! The database a command works on: one that is named, the private one of a running server, or the private one started for the command.
use clap::Args;
use std::path::PathBuf;
use thiserror::Error;
use velvet_dial_services::mariadb::{MariaDb, REMOVER_USER, SERVER_USER, StartError, url_for};
use velvet_dial_store::{Connection, DatabaseRole, StoreError};

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
    /// Its address, as its owner.
    pub url: String,
    _private: Option<MariaDb>,
}

/// Opens a database for a role: the private one as a user who may do so much and no more, one that is named as the user of its address.
pub async fn open_as(url: &str, private: bool, role: DatabaseRole) -> Result<Connection, StoreError> {
    let user = match role {
        DatabaseRole::Server => SERVER_USER,
        DatabaseRole::Remover => REMOVER_USER,
    };
    if private { velvet_dial_store::open_as(url, &url_for(user, url), user, role).await } else { velvet_dial_store::open(url).await }
}

impl Where {
    /// Folder of the private MariaDB, beside which the server keeps its key.
    pub fn data(&self) -> &std::path::Path {
        &self.data
    }

    /// Opens it.
    pub async fn open(&self) -> Result<Opened, OpenError> {
        let (url, private) = self.found()?;
        Ok(Opened { db: velvet_dial_store::open(&url).await?, url, _private: private })
    }

    /// Opens it with its tables as they are, which may be those of an older version.
    pub async fn open_as_it_is(&self) -> Result<Opened, OpenError> {
        let (url, private) = self.found()?;
        Ok(Opened { db: velvet_dial_store::open_as_it_is(&url).await?, url, _private: private })
    }

    /// It is the private one.
    pub fn is_private(&self) -> bool {
        self.database_url.is_none()
    }

    /// Opens it for one role alone.
    pub async fn open_as(&self, role: DatabaseRole) -> Result<Opened, OpenError> {
        let (url, private) = self.found()?;
        Ok(Opened { db: open_as(&url, self.is_private(), role).await?, url, _private: private })
    }

    fn found(&self) -> Result<(String, Option<MariaDb>), StartError> {
        let known = match &self.database_url {
            Some(url) => Some(url.clone()),
            None => MariaDb::url_of_running(&self.data)?,
        };
        if let Some(url) = known {
            return Ok((url, None));
        }
        let private = MariaDb::start(&self.data, false)?;
        Ok((private.url(), Some(private)))
    }
}
