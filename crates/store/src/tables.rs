//! The tables as such: which there are, and how many rows each has.
use crate::{Connection, StoreError};
use sea_orm::{ConnectionTrait, DbBackend, Statement};
use std::collections::BTreeMap;

/// Names of the tables of the open database.
pub(crate) async fn names(db: &Connection) -> Result<Vec<String>, StoreError> {
    let tables = "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()";
    let rows = db.query_all_raw(Statement::from_string(DbBackend::MySql, tables)).await?;
    Ok(rows.iter().map(|row| row.try_get("", "name")).collect::<Result<_, _>>()?)
}

/// Rows of each table whose rows are never removed while a server runs: entries, records, seals, what was changed in shops, and who was ever in one.
pub async fn lasting_rows(db: &Connection) -> Result<BTreeMap<String, u64>, StoreError> {
    const LASTING: [&str; 6] = ["shops", "users", "entries", "records", "sealed_heads", "shop_events"];
    let mut rows = BTreeMap::new();
    let there = names(db).await?;
    for table in LASTING.iter().filter(|table| there.iter().any(|name| name == *table)) {
        // A table's name cannot be a parameter; these are our own.
        let count = format!("SELECT COUNT(*) AS many FROM `{table}`");
        let row = db.query_one_raw(Statement::from_string(DbBackend::MySql, count)).await?;
        let many = row.map(|row| row.try_get::<i64>("", "many")).transpose()?.unwrap_or_default();
        rows.insert((*table).to_owned(), many.unsigned_abs());
    }
    Ok(rows)
}
