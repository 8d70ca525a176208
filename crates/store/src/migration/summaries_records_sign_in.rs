//! What the board tells of a job, what a closing stood on, what a shop and a sign-in know.
//!
//! Summaries are not filled here: the board makes those that are missing, and `velvet-dial summaries` makes all anew.
use super::search_keys::{drop_index, index};
use super::table::{Refers, at, at_or_none, drop_column, long_text, points, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{
    big_integer, big_integer_null, binary_len, boolean_null, char_len, double_null, integer, integer_null, pk_uuid, small_integer_null,
    string_len, string_len_null, text, uuid, uuid_null,
};

pub struct SummariesRecordsSignIn;

impl MigrationName for SummariesRecordsSignIn {
    fn name(&self) -> &'static str {
        "m2026_11_25_third"
    }
}

fn tables() -> Vec<TableCreateStatement> {
    vec![
        table("summaries")
            .col(pk_uuid("job_id"))
            .foreign_key(&mut points("job_id", "jobs"))
            .col(uuid("shop_id"))
            .col(big_integer("number"))
            .col(at_or_none("closed_at"))
            .col(integer("seq"))
            .col(string_len("stage", 20))
            .col(string_len_null("verdict", 20))
            .col(string_len("flag", 20))
            .col(string_len_null("flag_rule", 60))
            .col(uuid_null("last_entry"))
            .col(uuid_null("last_by"))
            .col(at("last_at"))
            .col(string_len_null("on_it", 120))
            .col(string_len_null("leader", 60))
            .col(double_null("leader_odds"))
            .col(integer_null("judged_seq"))
            .index(Index::create().name("summaries_on_the_board").col("shop_id").col("closed_at").col("number"))
            .take(),
        table("records")
            .col(pk_uuid("entry_id"))
            .foreign_key(&mut points("entry_id", "entries"))
            .refers("job_id", "jobs")
            .col(char_len("knowledge", 16))
            .col(long_text("body"))
            .take(),
        table("formers")
            .col(pk_uuid("id"))
            .col(uuid("thing_id"))
            .col(string_len("name", 120))
            .col(text("body"))
            .refers("replaced_by", "users")
            .col(at("replaced_at"))
            .index(Index::create().name("formers_of_a_thing").col("thing_id"))
            .take(),
        table("attempts")
            .col(binary_len("id", 32).primary_key())
            .col(at("due"))
            .index(Index::create().name("attempts_that_are_over").col("due"))
            .take(),
    ]
}

/// What older tables learn. All may be empty, so that an older server goes on writing.
fn columns() -> Vec<(&'static str, ColumnDef)> {
    vec![
        ("shops", string_len_null("zone", 60)),
        ("shops", small_integer_null("opens_min")),
        ("shops", small_integer_null("closes_min")),
        ("shops", double_null("labour_rate")),
        ("shops", string_len_null("money", 3)),
        ("users", boolean_null("demo")),
        ("users", at_or_none("removed_at")),
        ("sessions", string_len_null("address", 60)),
        ("sheets", uuid_null("corrects")),
        ("captures", big_integer_null("size")),
    ]
}

#[async_trait::async_trait]
impl MigrationTrait for SummariesRecordsSignIn {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in tables() {
            manager.create_table(table).await?;
        }
        for (table, column) in columns() {
            manager.alter_table(Table::alter().table(table).add_column_if_not_exists(column).take()).await?;
        }
        index(manager, "sessions", "sessions_that_are_over", &["expires_at"], false).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_index(manager, "sessions", "sessions_that_are_over").await?;
        for (table, column) in columns() {
            drop_column(manager, table, &column.get_column_name()).await?;
        }
        for table in ["attempts", "formers", "records", "summaries"] {
            manager.drop_table(Table::drop().table(table).if_exists().take()).await?;
        }
        Ok(())
    }
}
