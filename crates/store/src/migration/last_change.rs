//! Which jobs changed lately is found without a look at all of them.
use super::search_keys::{drop_index, index};
use sea_orm_migration::prelude::*;

pub struct LastChange;

impl MigrationName for LastChange {
    fn name(&self) -> &'static str {
        "m2026_12_24_last_change"
    }
}

const TABLE: &str = "summaries";
const INDEX: &str = "summaries_by_last_change";

#[async_trait::async_trait]
impl MigrationTrait for LastChange {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        // By the time first: what changed lately is little, and an index by shop would take the place of the one that the reference to it needs.
        index(manager, TABLE, INDEX, &["last_at", "shop_id"], false).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_index(manager, TABLE, INDEX).await
    }
}
