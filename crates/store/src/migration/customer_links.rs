//! Links by which a customer answers without signing in.
use super::table::{Refers, at, at_or_none, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{binary_len, integer, pk_uuid};

pub struct CustomerLinks;

impl MigrationName for CustomerLinks {
    fn name(&self) -> &'static str {
        "m2026_12_02_seventh"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for CustomerLinks {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let links = table("customer_links")
            .col(pk_uuid("id"))
            .col(binary_len("token_hash", 32))
            .unique(&["token_hash"])
            .refers("job_id", "jobs")
            .col(long_text("body"))
            .refers("made_by", "users")
            .col(at("made_at"))
            .col(at("expires_at"))
            .col(at_or_none("revoked_at"))
            .col(at_or_none("answered_at"))
            .col(integer("looks"))
            .col(integer("questions"))
            .take();
        manager.create_table(links).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("customer_links").if_exists().take()).await
    }
}
