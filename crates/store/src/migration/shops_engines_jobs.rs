//! Shops and their people, what they know, and the ledger.
use super::table::{Refers, at, at_or_none, long_bytes, long_text, points, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, binary_len, char_len, date_null, integer, pk_uuid, string_len, text, text_null, uuid_null};

pub struct ShopsEnginesJobs;

impl MigrationName for ShopsEnginesJobs {
    fn name(&self) -> &'static str {
        "m2026_11_24_first"
    }
}

/// In the order of their references.
fn tables() -> Vec<TableCreateStatement> {
    vec![
        table("shops").col(pk_uuid("id")).col(string_len("name", 120)).take(),
        table("users")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("sign_in", 60))
            .unique(&["sign_in"])
            .col(string_len("shown_name", 120))
            .col(string_len("password_hash", 255))
            .col(at_or_none("cautions_read_at"))
            .col(at("created_at"))
            .take(),
        table("sessions")
            .col(pk_uuid("id"))
            .col(binary_len("token_hash", 32))
            .unique(&["token_hash"])
            .refers("user_id", "users")
            .col(string_len("agent", 200))
            .col(at("created_at"))
            .col(at("expires_at"))
            .col(at_or_none("revoked_at"))
            .take(),
        table("vehicles")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("tag", 40))
            .col(string_len("description", 200))
            .unique(&["shop_id", "tag"])
            .take(),
        table("engines")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("name", 120))
            .col(text("card"))
            .unique(&["shop_id", "name"])
            .take(),
        table("sheets")
            .col(pk_uuid("id"))
            .refers("engine_id", "engines")
            .col(string_len("source", 200))
            .col(date_null("in_force_from"))
            .col(text("points"))
            .refers("entered_by", "users")
            .col(at("entered_at"))
            .take(),
        table("instruments")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("name", 120))
            .col(text("gauge"))
            .unique(&["shop_id", "name"])
            .take(),
        table("jobs")
            .col(pk_uuid("id"))
            .col(big_integer("number").auto_increment().unique_key())
            .refers("shop_id", "shops")
            .refers("vehicle_id", "vehicles")
            .refers("engine_id", "engines")
            .col(string_len("complaint", 300))
            .refers("opened_by", "users")
            .col(at("opened_at"))
            .col(char_len("submit_key", 64))
            .unique(&["submit_key"])
            .take(),
        table("entries")
            .col(pk_uuid("id"))
            .refers("job_id", "jobs")
            .col(integer("seq"))
            .col(string_len("kind", 20))
            .col(long_text("body"))
            .refers("author_id", "users")
            .col(at("written_at"))
            .col(uuid_null("supersedes"))
            .unique(&["supersedes"])
            .foreign_key(&mut points("supersedes", "entries"))
            .col(char_len("submit_key", 64))
            .unique(&["job_id", "seq"])
            .index(Index::create().unique().name("job_id_2").col("job_id").col("submit_key"))
            .take(),
        table("captures")
            .col(pk_uuid("id"))
            .refers("job_id", "jobs")
            .col(string_len("name", 200))
            .col(char_len("digest", 64))
            .col(long_bytes("bytes"))
            .col(text_null("mapping"))
            .refers("uploaded_by", "users")
            .col(at("uploaded_at"))
            .unique(&["job_id", "digest"])
            .take(),
    ]
}

/// Newest first.
const NAMES: [&str; 10] = ["captures", "entries", "jobs", "instruments", "sheets", "engines", "vehicles", "sessions", "users", "shops"];

#[async_trait::async_trait]
impl MigrationTrait for ShopsEnginesJobs {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in tables() {
            manager.create_table(table).await?;
        }
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in NAMES {
            manager.drop_table(Table::drop().table(table).if_exists().take()).await?;
        }
        Ok(())
    }
}
