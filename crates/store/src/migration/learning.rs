//! What a shop learns from its closed jobs, its Saturdays, and the torques of a sheet.
use super::table::drop_column;
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{boolean_null, double_null, text_null};

pub struct Learning;

impl MigrationName for Learning {
    fn name(&self) -> &'static str {
        "m2026_12_05_ninth"
    }
}

/// The columns, by their table.
fn columns() -> [(&'static str, ColumnDef); 6] {
    [
        ("shops", boolean_null("saturdays")),
        ("shops", boolean_null("learns")),
        ("sheets", text_null("torques")),
        ("finders", double_null("took_min")),
        ("finders", double_null("planned_min")),
        ("finders", boolean_null("came_back")),
    ]
}

#[async_trait::async_trait]
impl MigrationTrait for Learning {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for (table, column) in columns() {
            manager.alter_table(Table::alter().table(table).add_column_if_not_exists(column).take()).await?;
        }
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for (table, column) in columns() {
            drop_column(manager, table, &column.get_column_name()).await?;
        }
        Ok(())
    }
}
