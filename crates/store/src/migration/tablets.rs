//! Tablets that a shop shares: people change on them by a PIN.
use super::table::{Refers, at, at_or_none, drop_column, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{binary_len, pk_uuid, string_len, text_null};

pub struct Tablets;

impl MigrationName for Tablets {
    fn name(&self) -> &'static str {
        "m2026_12_18_tablets"
    }
}

/// The columns, by their table.
fn columns() -> [(&'static str, ColumnDef); 2] {
    [("users", text_null("pin_hash")), ("sessions", ColumnDef::new("tablet_id").binary_len(16).null().to_owned())]
}

#[async_trait::async_trait]
impl MigrationTrait for Tablets {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for (table, column) in columns() {
            manager.alter_table(Table::alter().table(table).add_column_if_not_exists(column).take()).await?;
        }
        let tablets = table("tablets")
            .col(pk_uuid("id"))
            .col(binary_len("token_hash", 32))
            .unique(&["token_hash"])
            .refers("shop_id", "shops")
            .col(string_len("name", 60))
            .refers("enrolled_by", "users")
            .col(at("enrolled_at"))
            .col(at_or_none("over_at"))
            .take();
        manager.create_table(tablets).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("tablets").if_exists().take()).await?;
        for (table, column) in columns() {
            drop_column(manager, table, &column.get_column_name()).await?;
        }
        Ok(())
    }
}
