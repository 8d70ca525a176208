//! Known patterns of engine families, and the pages of sheets.
use super::table::{Refers, at, at_or_none, long_bytes, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{char_len, double, integer, pk_uuid, small_integer, string_len, uuid_null};

pub struct PatternsAndSheetPages;

impl MigrationName for PatternsAndSheetPages {
    fn name(&self) -> &'static str {
        "m2026_11_28_sixth"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for PatternsAndSheetPages {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let patterns = table("patterns")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("family", 60))
            .col(string_len("cause", 60))
            .col(double("times"))
            .col(string_len("source", 200))
            .refers("entered_by", "users")
            .col(at("entered_at"))
            .col(uuid_null("retired_by"))
            .col(at_or_none("retired_at"))
            .index(Index::create().name("patterns_of_a_family").col("shop_id").col("family"))
            .take();
        manager.create_table(patterns).await?;
        let pages = table("sheet_pages")
            .col(pk_uuid("id"))
            .refers("sheet_id", "sheets")
            .col(char_len("digest", 64))
            .col(small_integer("width"))
            .col(small_integer("height"))
            .col(integer("size"))
            .col(long_bytes("small"))
            .col(long_bytes("large"))
            .refers("taken_by", "users")
            .col(at("taken_at"))
            .unique(&["sheet_id", "digest"])
            .take();
        manager.create_table(pages).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in ["sheet_pages", "patterns"] {
            manager.drop_table(Table::drop().table(table).if_exists().take()).await?;
        }
        Ok(())
    }
}
