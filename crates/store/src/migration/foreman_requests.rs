//! What somebody asks a foreman for.
use super::table::{Refers, at, at_or_none, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{boolean_null, char_len, pk_uuid, string_len};

pub struct ForemanRequests;

impl MigrationName for ForemanRequests {
    fn name(&self) -> &'static str {
        "m2026_12_18_foreman_requests"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for ForemanRequests {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let requests = table("foreman_requests")
            .col(pk_uuid("id"))
            .refers("job_id", "jobs")
            .refers("asked_by", "users")
            .col(at("asked_at"))
            .col(string_len("right_to", 20))
            .col(long_text("body"))
            .col(ColumnDef::new("supersedes").binary_len(16).null())
            .col(char_len("submit_key", 64))
            .col(at_or_none("settled_at"))
            .col(ColumnDef::new("settled_by").binary_len(16).null())
            .col(boolean_null("granted"))
            .unique(&["job_id", "submit_key"])
            .take();
        manager.create_table(requests).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("foreman_requests").if_exists().take()).await
    }
}
