//! What was changed in a shop itself: its people, roles and settings. Only added to, as job histories are.
use super::table::{Refers, at, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::pk_uuid;

pub struct ShopEvents;

impl MigrationName for ShopEvents {
    fn name(&self) -> &'static str {
        "m2026_12_18_shop_events"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for ShopEvents {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let events = table("shop_events")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .refers("by_user", "users")
            .col(at("at"))
            .col(long_text("body"))
            .take();
        manager.create_table(events).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("shop_events").if_exists().take()).await
    }
}
