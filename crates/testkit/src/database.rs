//! One server a test program, one empty database a test.
use sea_orm::{ConnectionTrait, Database};
use std::sync::OnceLock;
use velvet_dial_services::mariadb::MariaDb;

static SERVER: OnceLock<MariaDb> = OnceLock::new();

/// Address of a new, empty database.
pub async fn fresh_database() -> String {
    let server = tokio::task::spawn_blocking(|| {
        SERVER.get_or_init(|| {
            let folder = tempfile::Builder::new().prefix("vd-test-").tempdir().unwrap().keep();
            MariaDb::start(&folder, true).unwrap()
        })
    })
    .await
    .unwrap();
    let name = format!("velvet_dial_{}", uuid::Uuid::new_v4().simple());
    let connection = Database::connect(server.url()).await.unwrap();
    connection.execute_unprepared(&format!("CREATE DATABASE {name}")).await.unwrap();
    connection.close().await.unwrap();
    server.url_of(&name)
}
