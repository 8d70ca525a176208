//! What each user of the database may do: the server that serves only adds to what was written, and the command that removes a customer changes nothing else.
use crate::{Connection, StoreError, open, options, tables};
use sea_orm::{ConnectionTrait, Database};

/// Who works on the database, beside its owner.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DatabaseRole {
    /// The server: it reads and adds entries, records and seals, and may neither change nor delete them.
    Server,
    /// The command that removes a customer: it adds the entry that says so, and takes what is kept beside entries and records.
    Remover,
}

impl DatabaseRole {
    fn may(self, table: &str) -> &'static str {
        match (self, table) {
            (Self::Server, "entries" | "records" | "sealed_heads" | "shop_events") => "SELECT, INSERT",
            (Self::Server, _) => "SELECT, INSERT, UPDATE, DELETE",
            (Self::Remover, "entries") => "SELECT, INSERT, UPDATE (personal)",
            (Self::Remover, "records") => "SELECT, UPDATE (body)",
            (Self::Remover, "foreman_requests") => "SELECT, UPDATE (body)",
            // What the job is found by and what the board tells follow the entry.
            (Self::Remover, "finders" | "summaries") => "SELECT, INSERT, UPDATE",
            // Programs are told of the entry.
            (Self::Remover, "hook_deliveries") => "SELECT, INSERT",
            // The job's row is held while the entry is written.
            (Self::Remover, "jobs") => "SELECT, UPDATE (closed_at)",
            (Self::Remover, _) => "SELECT",
        }
    }
}

/// Brings the tables up to date as their owner, grants `user` what its role needs, and connects as that user by `url`.
pub async fn open_as(owner: &str, url: &str, user: &str, role: DatabaseRole) -> Result<Connection, StoreError> {
    let db = open(owner).await?;
    for table in tables::names(&db).await? {
        // Names of tables and rights cannot be parameters; both are our own.
        db.execute_unprepared(&format!("GRANT {} ON `{table}` TO '{user}'@'127.0.0.1'", role.may(&table))).await?;
    }
    db.close().await?;
    Ok(Database::connect(options(url)).await?)
}
