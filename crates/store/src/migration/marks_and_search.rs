//! Marked moments of live runs, and what jobs are found by.
//!
//! Finders are not filled here: they are written with every entry, and `velvet-dial summaries` makes those of older jobs.
use super::table::{at, long_text, points, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, pk_uuid, string_len, string_len_null, uuid, uuid_null};

pub struct MarksAndSearch;

impl MigrationName for MarksAndSearch {
    fn name(&self) -> &'static str {
        "m2026_11_27_fifth"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for MarksAndSearch {
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
        manager.create_table(marks).await?;
        let finders = table("finders")
            .col(pk_uuid("job_id"))
            .foreign_key(&mut points("job_id", "jobs"))
            .col(uuid("shop_id"))
            .col(uuid("engine_id"))
            .col(long_text("words"))
            .col(string_len_null("cause", 60))
            .index(Index::create().name("finders_by_words").full_text().col("words"))
            .index(Index::create().name("finders_of_an_engine").col("shop_id").col("engine_id").col("cause"))
            .take();
        manager.create_table(finders).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("finders").if_exists().take()).await?;
        manager.drop_table(Table::drop().table("run_marks").if_exists().take()).await
    }
}
