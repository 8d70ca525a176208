//! The tables. Times are UTC in DATETIME(6); keys are UUIDv7 in BINARY(16).
use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![Box::new(First)]
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
    "CREATE TABLE shops (
        id BINARY(16) PRIMARY KEY,
        name VARCHAR(120) NOT NULL)",
    "CREATE TABLE users (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        sign_in VARCHAR(60) NOT NULL UNIQUE,
        shown_name VARCHAR(120) NOT NULL,
        password_hash VARCHAR(255) NOT NULL,
        cautions_read_at DATETIME(6) NULL,
        created_at DATETIME(6) NOT NULL)",
    "CREATE TABLE sessions (
        id BINARY(16) PRIMARY KEY,
        token_hash BINARY(32) NOT NULL UNIQUE,
        user_id BINARY(16) NOT NULL REFERENCES users (id),
        agent VARCHAR(200) NOT NULL,
        created_at DATETIME(6) NOT NULL,
        expires_at DATETIME(6) NOT NULL,
        revoked_at DATETIME(6) NULL)",
    "CREATE TABLE vehicles (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        tag VARCHAR(40) NOT NULL,
        description VARCHAR(200) NOT NULL,
        UNIQUE (shop_id, tag))",
    "CREATE TABLE engines (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        name VARCHAR(120) NOT NULL,
        card TEXT NOT NULL,
        UNIQUE (shop_id, name))",
    "CREATE TABLE sheets (
        id BINARY(16) PRIMARY KEY,
        engine_id BINARY(16) NOT NULL REFERENCES engines (id),
        source VARCHAR(200) NOT NULL,
        in_force_from DATE NULL,
        points TEXT NOT NULL,
        entered_by BINARY(16) NOT NULL REFERENCES users (id),
        entered_at DATETIME(6) NOT NULL)",
    "CREATE TABLE instruments (
        id BINARY(16) PRIMARY KEY,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        name VARCHAR(120) NOT NULL,
        gauge TEXT NOT NULL,
        UNIQUE (shop_id, name))",
    "CREATE TABLE jobs (
        id BINARY(16) PRIMARY KEY,
        number BIGINT NOT NULL AUTO_INCREMENT UNIQUE,
        shop_id BINARY(16) NOT NULL REFERENCES shops (id),
        vehicle_id BINARY(16) NOT NULL REFERENCES vehicles (id),
        engine_id BINARY(16) NOT NULL REFERENCES engines (id),
        complaint VARCHAR(300) NOT NULL,
        opened_by BINARY(16) NOT NULL REFERENCES users (id),
        opened_at DATETIME(6) NOT NULL,
        submit_key CHAR(64) NOT NULL UNIQUE)",
    "CREATE TABLE entries (
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
    "CREATE TABLE captures (
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
