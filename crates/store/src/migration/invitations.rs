//! Links by which somebody is invited into a shop.
use super::table::{Refers, at, at_or_none, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{binary_len, pk_uuid, string_len};

pub struct Invitations;

impl MigrationName for Invitations {
    fn name(&self) -> &'static str {
        "m2026_12_18_invitations"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Invitations {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let invitations = table("invitations")
            .col(pk_uuid("id"))
            .col(binary_len("token_hash", 32))
            .unique(&["token_hash"])
            .refers("shop_id", "shops")
            .col(string_len("shown_name", 120))
            .col(string_len("role", 20))
            .refers("made_by", "users")
            .col(at("made_at"))
            .col(at("expires_at"))
            .col(at_or_none("over_at"))
            .take();
        manager.create_table(invitations).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("invitations").if_exists().take()).await
    }
}
