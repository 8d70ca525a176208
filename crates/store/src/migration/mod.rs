//! The tables. Times are UTC in DATETIME(6); keys are UUIDv7 in BINARY(16).
//!
//! Every step can be run again after it was cut short, since MariaDB ends a transaction at each change of a table: what stands already is left. One server at a
//! time migrates, by a named lock of the database. What is added may be empty, so that an older server beside a newer one goes on writing.
//!
//! A step is written in SeaORM's builder. What it has no words for (a named lock, an update from another table) is SQL, with the reason beside it.
mod first;
mod second;
mod table;
mod third;

use sea_orm_migration::prelude::*;
use sea_orm_migration::sea_orm::{ConnectOptions, Database, DbBackend, Statement};

/// Seconds one server waits for another that migrates.
const PATIENCE_S: u32 = 120;

/// Brings the tables up to date, on a connection of its own because the lock belongs to one.
pub async fn bring_up(mut options: ConnectOptions) -> Result<(), DbErr> {
    let alone = Database::connect(options.max_connections(1).min_connections(1).to_owned()).await?;
    let lock = format!("SELECT GET_LOCK('velvet_dial_migration', {PATIENCE_S}) AS taken");
    let row = alone.query_one_raw(Statement::from_string(DbBackend::MySql, lock)).await?;
    if row.and_then(|row| row.try_get::<i64>("", "taken").ok()) != Some(1) {
        return Err(DbErr::Custom("another server has been changing the tables for two minutes; try again when it is done".to_owned()));
    }
    // The lock goes with the connection, whatever happens.
    let done = Migrator::up(&alone, None).await;
    alone.close().await?;
    done
}

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![Box::new(first::First), Box::new(second::Second), Box::new(third::Third)]
    }
}
