//! What each closed job came to, for the figures of the shop.
use super::table::{Refers, at, long_text, points, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{double_null, pk_uuid, string_len, string_len_null};

pub struct Outcomes;

impl MigrationName for Outcomes {
    fn name(&self) -> &'static str {
        "m2026_12_22_outcomes"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Outcomes {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let outcomes = table("outcomes")
            .col(pk_uuid("job_id"))
            .foreign_key(&mut points("job_id", "jobs"))
            .refers("shop_id", "shops")
            .col(at("closed_at"))
            .col(string_len("family", 200))
            .col(string_len_null("cause", 60))
            .col(string_len_null("known", 20))
            .col(string_len_null("said_cause", 60))
            .col(double_null("said_probability"))
            .col(double_null("cause_probability"))
            .col(double_null("took_min"))
            .col(double_null("planned_min"))
            .col(long_text("in_vain"))
            .index(Index::create().name("of_shop").col("shop_id").col("closed_at"))
            .take();
        manager.create_table(outcomes).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("outcomes").if_exists().take()).await
    }
}
