//! A known pattern says in how many cases it was counted.
use super::table::drop_column;
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::unsigned_null;

pub struct PatternCases;

impl MigrationName for PatternCases {
    fn name(&self) -> &'static str {
        "m2026_12_10_pattern_cases"
    }
}

const TABLE: &str = "patterns";
const COLUMN: &str = "cases";

#[async_trait::async_trait]
impl MigrationTrait for PatternCases {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.alter_table(Table::alter().table(TABLE).add_column_if_not_exists(unsigned_null(COLUMN)).take()).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_column(manager, TABLE, COLUMN).await
    }
}
