//! The tables. Times are UTC in DATETIME(6); keys are UUIDv7 in BINARY(16).
//!
//! Every step can be run again after it was cut short, since MariaDB ends a transaction at each change of a table: what stands already is left. One server at a
//! time migrates, by a named lock of the database. What is added may be empty, so that an older server beside a newer one goes on writing.
use crate::library::tag_key;
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
        vec![Box::new(First), Box::new(Second)]
    }
}

struct First;

impl MigrationName for First {
    fn name(&self) -> &'static str {
        "m2026_11_24_first"
    }
}

/// One statement a table, in the order of their references.
const TABLES: &[&str] = &[
    "CREATE TABLE IF NOT EXISTS shops (
        id BINARY(16) PRIMARY KEY,
        name VARCHAR(120) NOT NULL)",
    "CREATE TABLE IF NOT EXISTS users (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        sign_in VARCHAR(60) NOT NULL UNIQUE,
        shown_name VARCHAR(120) NOT NULL,
        password_hash VARCHAR(255) NOT NULL,
        cautions_read_at DATETIME(6) NULL,
        created_at DATETIME(6) NOT NULL)",
    "CREATE TABLE IF NOT EXISTS sessions (
        id BINARY(16) PRIMARY KEY,
        token_hash BINARY(32) NOT NULL UNIQUE,
        user_id BINARY(16) NOT NULL REFERENCES users (id),
        agent VARCHAR(200) NOT NULL,
        created_at DATETIME(6) NOT NULL,
        expires_at DATETIME(6) NOT NULL,
        revoked_at DATETIME(6) NULL)",
    "CREATE TABLE IF NOT EXISTS vehicles (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        tag VARCHAR(40) NOT NULL,
        description VARCHAR(200) NOT NULL,
        UNIQUE (shop_id, tag))",
    "CREATE TABLE IF NOT EXISTS engines (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        name VARCHAR(120) NOT NULL,
        card TEXT NOT NULL,
        UNIQUE (shop_id, name))",
    "CREATE TABLE IF NOT EXISTS sheets (
        id BINARY(16) PRIMARY KEY,
        engine_id BINARY(16) NOT NULL REFERENCES engines (id),
        source VARCHAR(200) NOT NULL,
        in_force_from DATE NULL,
        points TEXT NOT NULL,
        entered_by BINARY(16) NOT NULL REFERENCES users (id),
        entered_at DATETIME(6) NOT NULL)",
    "CREATE TABLE IF NOT EXISTS instruments (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        name VARCHAR(120) NOT NULL,
        gauge TEXT NOT NULL,
        UNIQUE (shop_id, name))",
    "CREATE TABLE IF NOT EXISTS jobs (
        id BINARY(16) PRIMARY KEY,
        number BIGINT NOT NULL AUTO_INCREMENT UNIQUE,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        vehicle_id BINARY(16) NOT NULL REFERENCES vehicles (id),
        engine_id BINARY(16) NOT NULL REFERENCES engines (id),
        complaint VARCHAR(300) NOT NULL,
        opened_by BINARY(16) NOT NULL REFERENCES users (id),
        opened_at DATETIME(6) NOT NULL,
        submit_key CHAR(64) NOT NULL UNIQUE)",
    "CREATE TABLE IF NOT EXISTS entries (
        id BINARY(16) PRIMARY KEY,
        job_id BINARY(16) NOT NULL REFERENCES jobs (id),
        seq INT NOT NULL,
        kind VARCHAR(20) NOT NULL,
        body MEDIUMTEXT NOT NULL,
        author_id BINARY(16) NOT NULL REFERENCES users (id),
        written_at DATETIME(6) NOT NULL,
        supersedes BINARY(16) NULL UNIQUE REFERENCES entries (id),
        submit_key CHAR(64) NOT NULL,
        UNIQUE (job_id, seq),
        UNIQUE (job_id, submit_key))",
    "CREATE TABLE IF NOT EXISTS captures (
        id BINARY(16) PRIMARY KEY,
        job_id BINARY(16) NOT NULL REFERENCES jobs (id),
        name VARCHAR(200) NOT NULL,
        digest CHAR(64) NOT NULL,
        bytes LONGBLOB NOT NULL,
        mapping TEXT NULL,
        uploaded_by BINARY(16) NOT NULL REFERENCES users (id),
        uploaded_at DATETIME(6) NOT NULL,
        UNIQUE (job_id, digest))",
];

#[async_trait::async_trait]
impl MigrationTrait for First {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in TABLES {
            let sql = format!("{table} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci");
            manager.get_connection().execute_unprepared(&sql).await?;
        }
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in ["captures", "entries", "jobs", "instruments", "sheets", "engines", "vehicles", "sessions", "users", "shops"] {
            manager.get_connection().execute_unprepared(&format!("DROP TABLE IF EXISTS {table}")).await?;
        }
        Ok(())
    }
}

struct Second;

impl MigrationName for Second {
    fn name(&self) -> &'static str {
        "m2026_11_25_second"
    }
}

/// What the board, the plates and the captures are found by.
const SECOND: &[&str] = &[
    "ALTER TABLE jobs ADD COLUMN IF NOT EXISTS closed_at DATETIME(6) NULL, ADD INDEX IF NOT EXISTS jobs_on_the_board (shop_id, closed_at, number)",
    "UPDATE jobs SET closed_at = (SELECT MAX(closing.written_at) FROM entries closing WHERE closing.job_id = jobs.id AND closing.kind = 'closed'
        AND NOT EXISTS (SELECT 1 FROM entries heir WHERE heir.supersedes = closing.id)) WHERE closed_at IS NULL",
    "ALTER TABLE vehicles ADD COLUMN IF NOT EXISTS tag_key VARCHAR(60) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL",
    "ALTER TABLE captures ADD INDEX IF NOT EXISTS captures_by_digest (digest)",
];

/// Plates are told apart by a key that holds letters apart, in place of the collation that does not.
const PLATES: &str = "ALTER TABLE vehicles ADD UNIQUE INDEX IF NOT EXISTS vehicles_by_key (shop_id, tag_key), DROP INDEX IF EXISTS shop_id";

#[async_trait::async_trait]
impl MigrationTrait for Second {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let db = manager.get_connection();
        for step in SECOND {
            db.execute_unprepared(step).await?;
        }
        let unkeyed = "SELECT id, tag FROM vehicles WHERE tag_key IS NULL";
        for row in db.query_all_raw(Statement::from_string(DbBackend::MySql, unkeyed)).await? {
            let (id, tag): (uuid::Uuid, String) = (row.try_get("", "id")?, row.try_get("", "tag")?);
            // Two that were kept apart by a space stay two: the later one keeps a key that nobody types.
            let set = "UPDATE IGNORE vehicles SET tag_key = ? WHERE id = ? AND NOT EXISTS
                (SELECT 1 FROM (SELECT shop_id, tag_key FROM vehicles) other WHERE other.shop_id = vehicles.shop_id AND other.tag_key = ?)";
            let key = tag_key(&tag);
            let keyed = Statement::from_sql_and_values(DbBackend::MySql, set, [key.clone().into(), id.into(), key.clone().into()]);
            if db.execute_raw(keyed).await?.rows_affected() == 0 {
                let own = format!("{key} {}", id.simple());
                let set = "UPDATE vehicles SET tag_key = ? WHERE id = ?";
                db.execute_raw(Statement::from_sql_and_values(
                    DbBackend::MySql,
                    set,
                    [own.chars().take(60).collect::<String>().into(), id.into()],
                ))
                .await?;
            }
        }
        db.execute_unprepared(PLATES).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let db = manager.get_connection();
        for step in [
            "ALTER TABLE captures DROP INDEX IF EXISTS captures_by_digest",
            "ALTER TABLE vehicles ADD INDEX IF NOT EXISTS shop_id (shop_id, tag), DROP INDEX IF EXISTS vehicles_by_key, DROP COLUMN IF EXISTS tag_key",
            "ALTER TABLE jobs ADD INDEX IF NOT EXISTS shop_id (shop_id), DROP INDEX IF EXISTS jobs_on_the_board, DROP COLUMN IF EXISTS closed_at",
        ] {
            db.execute_unprepared(step).await?;
        }
        Ok(())
    }
}
