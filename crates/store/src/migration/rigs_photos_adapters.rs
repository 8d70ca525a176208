//! Rigs and what they record, photos, adapters, what a gauge showed beside a second one, and large files in parts.
use super::table::{Refers, at, at_or_none, long_bytes, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{
    big_integer, big_integer_null, binary_len, char_len, double, integer, pk_uuid, small_integer, string_len, string_len_null, text, uuid,
    uuid_null,
};

pub struct RigsPhotosAdapters;

impl MigrationName for RigsPhotosAdapters {
    fn name(&self) -> &'static str {
        "m2026_11_26_fourth"
    }
}

fn tables() -> Vec<TableCreateStatement> {
    vec![
        table("rigs")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("name", 40))
            // The name while it is paired; an unpaired rig leaves it to another.
            .col(string_len_null("taken", 40))
            .col(binary_len("token", 32))
            .col(uuid_null("job_id"))
            .col(uuid_null("instrument_id"))
            .refers("paired_by", "users")
            .col(at("paired_at"))
            .col(at_or_none("seen_at"))
            .index(Index::create().unique().name("rigs_by_name").col("shop_id").col("taken"))
            .index(Index::create().unique().name("rigs_by_token").col("token"))
            .index(Index::create().name("rigs_of_a_job").col("job_id"))
            .take(),
        table("rig_runs")
            .col(pk_uuid("id"))
            .refers("rig_id", "rigs")
            .refers("job_id", "jobs")
            .col(char_len("boot", 16))
            .col(text("channels"))
            .col(uuid_null("instrument_id"))
            .col(at("started_at"))
            .col(big_integer("next_seq"))
            .col(big_integer_null("first_us"))
            .col(big_integer_null("last_us"))
            .col(big_integer("samples"))
            .col(big_integer("lost"))
            .col(big_integer("size"))
            .index(Index::create().unique().name("rig_runs_of_a_start").col("rig_id").col("boot").col("job_id"))
            .take(),
        table("rig_chunks")
            .col(uuid("run_id"))
            .col(big_integer("first_seq"))
            .col(integer("samples"))
            .col(big_integer("lost"))
            .col(big_integer("from_us"))
            .col(big_integer("to_us"))
            .col(ColumnDef::new("peaks").custom("VARBINARY(255)").not_null())
            .col(long_bytes("bytes"))
            .primary_key(Index::create().name("rig_chunks_in_order").col("run_id").col("first_seq"))
            .take(),
        table("photos")
            .col(pk_uuid("id"))
            .refers("job_id", "jobs")
            .col(char_len("digest", 64))
            .col(small_integer("width"))
            .col(small_integer("height"))
            .col(integer("size"))
            .col(long_bytes("small"))
            .col(long_bytes("large"))
            .refers("taken_by", "users")
            .col(at("taken_at"))
            .unique(&["job_id", "digest"])
            .take(),
        table("adapters")
            .col(pk_uuid("id"))
            .refers("shop_id", "shops")
            .col(string_len("name", 120))
            .col(text("body"))
            .unique(&["shop_id", "name"])
            .take(),
        table("gauge_checks")
            .col(pk_uuid("id"))
            .refers("instrument_id", "instruments")
            .col(string_len("beside", 120))
            .col(double("reads_kpa"))
            .col(double("beside_kpa"))
            .refers("checked_by", "users")
            .col(at("checked_at"))
            .take(),
        table("capture_parts")
            .col(uuid("capture_id"))
            .col(integer("part"))
            .col(long_bytes("bytes"))
            .primary_key(Index::create().name("capture_parts_in_order").col("capture_id").col("part"))
            .take(),
    ]
}

#[async_trait::async_trait]
impl MigrationTrait for RigsPhotosAdapters {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in tables() {
            manager.create_table(table).await?;
        }
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for table in ["capture_parts", "gauge_checks", "adapters", "photos", "rig_chunks", "rig_runs", "rigs"] {
            manager.drop_table(Table::drop().table(table).if_exists().take()).await?;
        }
        Ok(())
    }
}
