//! What the board, the plates and the captures are found by.
use super::table::at_or_none;
use crate::library::tag_key;
use sea_orm_migration::prelude::*;
use sea_orm_migration::sea_orm::{DbBackend, Statement};

pub struct SearchKeys;

impl MigrationName for SearchKeys {
    fn name(&self) -> &'static str {
        "m2026_11_25_second"
    }
}

/// The builder has no update that looks at another row of the same or another table.
const CLOSED: &str = "UPDATE jobs SET closed_at = (SELECT MAX(closing.written_at) FROM entries closing WHERE closing.job_id = jobs.id AND closing.kind = 'closed'
    AND NOT EXISTS (SELECT 1 FROM entries heir WHERE heir.supersedes = closing.id)) WHERE closed_at IS NULL";
const KEYED: &str = "UPDATE IGNORE vehicles SET tag_key = ? WHERE id = ? AND NOT EXISTS
    (SELECT 1 FROM (SELECT shop_id, tag_key FROM vehicles) other WHERE other.shop_id = vehicles.shop_id AND other.tag_key = ?)";

#[async_trait::async_trait]
impl MigrationTrait for SearchKeys {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let db = manager.get_connection();
        manager.alter_table(Table::alter().table("jobs").add_column_if_not_exists(at_or_none("closed_at")).take()).await?;
        index(manager, "jobs", "jobs_on_the_board", &["shop_id", "closed_at", "number"], false).await?;
        drop_index(manager, "jobs", "shop_id").await?;
        db.execute_unprepared(CLOSED).await?;
        // Plates are told apart by a key that holds letters apart, in place of the collation that does not.
        let key = ColumnDef::new("tag_key").custom("VARCHAR(60) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin").null().take();
        manager.alter_table(Table::alter().table("vehicles").add_column_if_not_exists(key).take()).await?;
        index(manager, "captures", "captures_by_digest", &["digest"], false).await?;
        key_plates(db).await?;
        index(manager, "vehicles", "vehicles_by_key", &["shop_id", "tag_key"], true).await?;
        drop_index(manager, "vehicles", "shop_id").await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_index(manager, "captures", "captures_by_digest").await?;
        index(manager, "vehicles", "shop_id", &["shop_id", "tag"], false).await?;
        drop_index(manager, "vehicles", "vehicles_by_key").await?;
        manager.alter_table(Table::alter().table("vehicles").drop_column("tag_key").take()).await?;
        index(manager, "jobs", "shop_id", &["shop_id"], false).await?;
        drop_index(manager, "jobs", "jobs_on_the_board").await?;
        manager.alter_table(Table::alter().table("jobs").drop_column("closed_at").take()).await
    }
}

/// Gives every plate its key. Two that were kept apart by a space stay two: the later one keeps a key that nobody types.
async fn key_plates(db: &SchemaManagerConnection<'_>) -> Result<(), DbErr> {
    let unkeyed = Query::select().columns(["id", "tag"]).from("vehicles").and_where(Expr::col("tag_key").is_null()).take();
    for row in db.query_all(&unkeyed).await? {
        let (id, tag): (uuid::Uuid, String) = (row.try_get("", "id")?, row.try_get("", "tag")?);
        let key = tag_key(&tag);
        let keyed = Statement::from_sql_and_values(DbBackend::MySql, KEYED, [key.clone().into(), id.into(), key.clone().into()]);
        if db.execute_raw(keyed).await?.rows_affected() == 0 {
            let own: String = format!("{key} {}", id.simple()).chars().take(60).collect();
            db.execute(&Query::update().table("vehicles").value("tag_key", own).and_where(Expr::col("id").eq(id)).take()).await?;
        }
    }
    Ok(())
}

/// An index, when it does not stand yet.
pub(super) async fn index(
    manager: &SchemaManager<'_>,
    table: &'static str,
    name: &'static str,
    columns: &[&'static str],
    unique: bool,
) -> Result<(), DbErr> {
    if manager.has_index(table, name).await? {
        return Ok(());
    }
    let mut index = Index::create().table(table).name(name).take();
    if unique {
        index.unique();
    }
    for column in columns {
        index.col(*column);
    }
    manager.create_index(index).await
}

/// Drops an index, when it stands.
pub(super) async fn drop_index(manager: &SchemaManager<'_>, table: &'static str, name: &'static str) -> Result<(), DbErr> {
    if manager.has_index(table, name).await? {
        manager.drop_index(Index::drop().table(table).name(name).to_owned()).await?;
    }
    Ok(())
}
