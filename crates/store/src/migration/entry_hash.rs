//! The hash that chains an entry to the one before it; none on what was written before.
use super::table::drop_column;
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::char_len_null;

pub struct EntryHash;

impl MigrationName for EntryHash {
    fn name(&self) -> &'static str {
        "m2026_12_03_eighth"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for EntryHash {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.alter_table(Table::alter().table("entries").add_column_if_not_exists(char_len_null("chain", 64)).take()).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_column(manager, "entries", "chain").await
    }
}
