//! The board tells which vehicle came back with the same.
use super::table::drop_column;
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::big_integer_null;

pub struct Comebacks;

impl MigrationName for Comebacks {
    fn name(&self) -> &'static str {
        "m2026_12_06_tenth"
    }
}

const TABLE: &str = "summaries";
const COLUMN: &str = "back_after";

#[async_trait::async_trait]
impl MigrationTrait for Comebacks {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.alter_table(Table::alter().table(TABLE).add_column_if_not_exists(big_integer_null(COLUMN)).take()).await?;
        // What is behind its ledger is made anew when it is next shown.
        let back = Query::select().column("job_id").from("entries").and_where(Expr::col("kind").eq("comeback")).take();
        let behind = Query::update().table(TABLE).value("seq", -1).and_where(Expr::col("job_id").in_subquery(back)).take();
        manager.get_connection().execute(&behind).await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_column(manager, TABLE, COLUMN).await
    }
}
