//! Scenes that are set to several people at once.
use super::table::{Refers, at, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, char_len, pk_uuid, small_integer, string_len};

pub struct PracticeTasks;

impl MigrationName for PracticeTasks {
    fn name(&self) -> &'static str {
        "m2026_12_16_practice_tasks"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for PracticeTasks {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let tasks = table("practice_tasks")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("title", 200))
            .col(big_integer("seed"))
            .col(small_integer("grade"))
            .col(long_text("given"))
            .col(long_text("people"))
            .refers("set_by", "users")
            .col(at("set_at"))
            .col(char_len("submit_key", 64))
            .unique(&["shop_id", "submit_key"])
            .take();
        manager.create_table(tasks).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("practice_tasks").if_exists().take()).await
    }
}
