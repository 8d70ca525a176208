//! One server a test program, one empty database a test.
use sea_orm::{ConnectionTrait, Database, DatabaseConnection, Statement};
use std::fmt::Write;
use std::sync::OnceLock;
use velvet_dial_services::mariadb::MariaDb;

static SERVER: OnceLock<MariaDb> = OnceLock::new();

/// Address of a new, empty database.
pub async fn fresh_database() -> String {
    let (connection, name) = create().await;
    connection.close().await.unwrap();
    server().await.url_of(&name)
}

/// Address of a new database that holds what that one holds. The server copies it, which takes a small part of the time that filling it takes.
pub async fn copy_of(url: &str) -> String {
    let (connection, name) = create().await;
    let original = url.rsplit('/').next().unwrap();
    let tables = rows(&connection, &format!("SELECT table_name FROM information_schema.tables WHERE table_schema = '{original}'"), 0).await;
    let mut copy = format!("USE {name}; SET foreign_key_checks = 0;");
    for table in tables {
        let create = rows(&connection, &format!("SHOW CREATE TABLE {original}.`{table}`"), 1).await;
        write!(copy, "{}; INSERT INTO `{table}` SELECT * FROM {original}.`{table}`;", create.concat()).unwrap();
    }
    connection.execute_unprepared(&copy).await.unwrap();
    connection.close().await.unwrap();
    server().await.url_of(&name)
}

/// Changes a database behind everybody's back.
pub async fn meddle(connection: &DatabaseConnection, sql: &str) {
    connection.execute_unprepared(sql).await.unwrap();
}

async fn create() -> (DatabaseConnection, String) {
    let name = format!("velvet_dial_{}", uuid::Uuid::new_v4().simple());
    let connection = Database::connect(server().await.url()).await.unwrap();
    connection.execute_unprepared(&format!("CREATE DATABASE {name}")).await.unwrap();
    (connection, name)
}

/// One column of what a query finds.
async fn rows(connection: &DatabaseConnection, query: &str, column: usize) -> Vec<String> {
    let found = connection.query_all_raw(Statement::from_string(connection.get_database_backend(), query)).await.unwrap();
    found.iter().map(|row| row.try_get_by_index(column).unwrap()).collect()
}

async fn server() -> &'static MariaDb {
    let started = tokio::task::spawn_blocking(|| {
        SERVER.get_or_init(|| {
            let folder = tempfile::Builder::new().prefix("vd-test-").tempdir().unwrap().keep();
            MariaDb::start(&folder, true).unwrap()
        })
    });
    started.await.unwrap()
}
