//! Marked moments of live runs.
use super::table::{at, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, pk_uuid, string_len, uuid, uuid_null};

pub struct Fifth;

impl MigrationName for Fifth {
    fn name(&self) -> &'static str {
        "m2026_11_27_fifth"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Fifth {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let marks = table("run_marks")
            .col(pk_uuid("id"))
            .col(uuid("run_id"))
            .col(big_integer("at_us"))
            .col(string_len("note", 120))
            .col(uuid_null("made_by"))
            .col(at("made_at"))
            .index(Index::create().name("run_marks_in_order").col("run_id").col("at_us"))
            .take();
        manager.create_table(marks).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("run_marks").if_exists().take()).await
    }
}
