//! What is kept, in MariaDB through SeaORM.
//!
//! One repository per aggregate: [`accounts`] (who may sign in), [`library`] (vehicles, engines with their sheets, instruments), [`jobs`] (a job and its ledger of
//! entries) and [`rigs`] (live gauges and their runs). Every function of the last three takes a [`Viewer`] and touches that viewer's shop alone.
//!
//! A job's entries are a ledger: they are only ever added. A correction is an entry that names the one it supersedes, and the old one
//! stays readable. That one rule gives history, safe repeats and two people at one job without locks on a screen.
pub mod accounts;
pub mod audit;
pub mod disk;
mod entity;
pub mod export;
pub mod figures;
pub mod jobs;
pub mod library;
mod migration;
pub mod practice;
pub mod programs;
mod rights;
pub mod rigs;
pub mod seals;
mod secret;
pub mod tables;
pub mod zone;

pub use rights::{DatabaseRole, open_as};
pub use sea_orm::DatabaseConnection as Connection;

use sea_orm::{ConnectOptions, Database, DbErr, RuntimeErr, SqlErr, SqlxMySqlError};
use std::time::Duration;
use thiserror::Error;
use uuid::Uuid;
use velvet_dial_core::rights::{Right, Role};
use velvet_dial_core::signing::SealError;
use zone::Zone;

/// Why something could not be read or written.
#[derive(Debug, Error)]
pub enum StoreError {
    /// There is no such thing in the viewer's shop.
    #[error("not found")]
    NotFound,
    /// What is kept cannot be read back; a defect or a damaged row.
    #[error("a kept {what} cannot be read: {source}")]
    Damaged {
        /// What.
        what: &'static str,
        /// Why.
        source: serde_json::Error,
    },
    /// What was to be written could not be read back, such as a number that is not finite.
    #[error("this entry cannot be kept")]
    CannotBeKept,
    /// A figure outside its range, or a word that is not known here.
    #[error(transparent)]
    Refused(#[from] jobs::Refused),
    /// The job is closed, and what was to be written is not its reopening.
    #[error("the job is closed")]
    Closed,
    /// The job is open, and what was to be done waits for its closing.
    #[error("the job is open: close it first")]
    Open,
    /// Their role has no right to do it.
    #[error("not allowed: {}", .0.id())]
    NotAllowed(Right),
    /// A kept report is not one with which that can be done.
    #[error(transparent)]
    Report(#[from] SealError),
    /// A job or a shop holds as much as it may.
    #[error("the {whose} holds {most_mb} MB of recorded runs already")]
    Full {
        /// Job or shop.
        whose: &'static str,
        /// What it may hold.
        most_mb: i64,
    },
    /// A job holds as many photos as it may.
    #[error("the job holds {most} photos already")]
    Album {
        /// What it may hold.
        most: u64,
    },
    /// Password hashing failed.
    #[error("password hashing failed")]
    Hash,
    /// The database.
    #[error(transparent)]
    Database(#[from] DbErr),
}

/// Whose eyes: every query of a shop's things is bound to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Viewer {
    /// The user.
    pub user: Uuid,
    /// The shop.
    pub shop: Uuid,
    /// What they are in the shop; at its practice bench everybody may do everything.
    pub role: Role,
    /// Name on screens and in the ledger.
    pub shown_name: String,
    /// Has read the cautions of first use.
    pub cautions_read: bool,
    /// The shop's clock.
    pub zone: Zone,
    /// When the session began, UTC: nothing that was typed in it is older.
    pub since: chrono::NaiveDateTime,
}

/// Connects and brings the tables up to date.
pub async fn open(url: &str) -> Result<Connection, StoreError> {
    let options = options(url);
    migration::bring_up(options.clone()).await?;
    let db = Database::connect(options).await?;
    practice::take_cleared(&db).await?;
    Ok(db)
}

/// True where tables stand, and this version would change them.
pub async fn is_behind(url: &str) -> Result<bool, StoreError> {
    Ok(migration::is_behind(options(url)).await?)
}

/// Connects, and leaves the tables as they are.
pub async fn open_as_it_is(url: &str) -> Result<Connection, StoreError> {
    Ok(Database::connect(options(url)).await?)
}

/// A query that was asked.
pub struct Query<'a> {
    /// How long it took.
    pub took: Duration,
    /// The statement without its values.
    pub sql: &'a str,
    /// The database refused it or broke it off.
    pub failed: bool,
}

/// Shows every query of a connection, and of what is cloned from it later, to somebody.
pub fn watch(db: &mut Connection, seen: impl Fn(Query<'_>) + Send + Sync + 'static) {
    db.set_metric_callback(move |info| seen(Query { took: info.elapsed, sql: &info.statement.sql, failed: info.failed }));
}

/// Connections to the database, and those that nobody uses.
pub fn pool(db: &Connection) -> (u32, usize) {
    let pool = db.get_mysql_connection_pool();
    (pool.size(), pool.num_idle())
}

fn options(url: &str) -> ConnectOptions {
    ConnectOptions::new(url).max_connections(16).acquire_timeout(Duration::from_secs(8)).sqlx_logging(false).to_owned()
}

/// True when the database answers.
pub async fn healthy(connection: &Connection) -> bool {
    connection.ping().await.is_ok()
}

fn now() -> chrono::NaiveDateTime {
    chrono::Utc::now().naive_utc()
}

/// True when a write was refused because its key stands already.
fn stands_already(error: &DbErr) -> bool {
    matches!(error.sql_err(), Some(SqlErr::UniqueConstraintViolation(_)))
}

/// Does something again, `tries` times in all, while the database lets another one first.
async fn retried<T, F: Future<Output = Result<T, StoreError>>>(tries: usize, once: impl Fn() -> F) -> Result<T, StoreError> {
    for _ in 1..tries {
        match once().await {
            Err(StoreError::Database(error)) if lost_a_race(&error) => {}
            other => return other,
        }
    }
    once().await
}

/// True when the database gave up a transaction to let another finish; trying again is right.
fn lost_a_race(error: &DbErr) -> bool {
    /// The server's own numbers: lock wait timeout, deadlock, a row changed since it was read.
    const RACES: [u16; 3] = [1205, 1213, 1020];
    let (DbErr::Exec(RuntimeErr::SqlxError(inner)) | DbErr::Query(RuntimeErr::SqlxError(inner))) = error else {
        return false;
    };
    let number = inner.as_database_error().and_then(|error| error.try_downcast_ref::<SqlxMySqlError>()).map(SqlxMySqlError::number);
    number.is_some_and(|number| RACES.contains(&number))
}

fn json<T: serde::Serialize>(what: &'static str, value: &T) -> Result<String, StoreError> {
    serde_json::to_string(value).map_err(|source| StoreError::Damaged { what, source })
}

pub(crate) fn from_json<T: serde::de::DeserializeOwned>(what: &'static str, text: &str) -> Result<T, StoreError> {
    serde_json::from_str(text).map_err(|source| StoreError::Damaged { what, source })
}
