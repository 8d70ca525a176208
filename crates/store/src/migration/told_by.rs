//! A summary names the state of the program that told it, so that only what another one told is told anew.
use super::table::drop_column;
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::char_len_null;

pub struct ToldBy;

impl MigrationName for ToldBy {
    fn name(&self) -> &'static str {
        "m2026_12_08_told_by"
    }
}

const TABLE: &str = "summaries";
const COLUMN: &str = "told_by";

#[async_trait::async_trait]
impl MigrationTrait for ToldBy {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.alter_table(Table::alter().table(TABLE).add_column_if_not_exists(char_len_null(COLUMN, 32)).take()).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_column(manager, TABLE, COLUMN).await
    }
}
