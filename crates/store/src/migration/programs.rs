//! Programs of others with a token of the shop, the answers they were given, and what their webhooks are sent.
use super::table::{Refers, at, at_or_none, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{binary_len, boolean, integer, pk_uuid, small_integer_null, string_len, string_len_null, uuid};

pub struct Programs;

impl MigrationName for Programs {
    fn name(&self) -> &'static str {
        "m2026_12_21_programs"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Programs {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let programs = table("programs")
            .col(pk_uuid("id"))
            .col(binary_len("token_hash", 32))
            .unique(&["token_hash"])
            .refers("shop_id", "shops")
            .refers("user_id", "users")
            .col(string_len("scopes", 400))
            .col(boolean("own_jobs_only"))
            .refers("made_by", "users")
            .col(at("made_at"))
            .col(at_or_none("revoked_at"))
            .col(at_or_none("last_used_at"))
            .col(string_len_null("hook_url", 500))
            .col(string_len_null("hook_secret", 80))
            .take();
        manager.create_table(programs).await?;
        let answers = table("program_answers")
            .col(uuid("program_id"))
            .col(string_len("idem_key", 120))
            .primary_key(Index::create().col("program_id").col("idem_key"))
            .foreign_key(&mut super::table::points("program_id", "programs"))
            .col(binary_len("request_hash", 32))
            .col(small_integer_null("status"))
            .col(long_text("body"))
            .col(at("at"))
            .take();
        manager.create_table(answers).await?;
        let deliveries = table("hook_deliveries")
            .col(pk_uuid("id"))
            .refers("program_id", "programs")
            .col(string_len("kind", 40))
            .col(long_text("body"))
            .col(at("made_at"))
            .col(at_or_none("next_try_at"))
            .col(integer("tries"))
            .col(at_or_none("delivered_at"))
            .col(string_len("answer", 200))
            .index(Index::create().name("due").col("next_try_at"))
            .take();
        manager.create_table(deliveries).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for name in ["hook_deliveries", "program_answers", "programs"] {
            manager.drop_table(Table::drop().table(name).if_exists().take()).await?;
        }
        Ok(())
    }
}
