//! What proves a job: every entry has its hash, what it says of the customer lies beside it, a report has its code, heads of ledgers are sealed together.
use super::table::{at, drop_column, long_text, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, char_len, char_len_null, text_null};
use sea_orm_migration::sea_orm::{ConnectionTrait, FromQueryResult, entity::prelude::DateTime, prelude::Uuid};
use velvet_dial_core::record::Chained;

pub struct Proof;

impl MigrationName for Proof {
    fn name(&self) -> &'static str {
        "m2026_12_07_proof"
    }
}

const HEADS: &str = "sealed_heads";
const CODE: &str = "record_code";

/// The columns, by their table.
fn columns() -> [(&'static str, ColumnDef); 2] {
    [("entries", text_null("personal")), ("records", char_len_null("code", 24))]
}

/// What a hash is made of, as it stood when this step was written.
#[derive(FromQueryResult)]
struct Row {
    id: Uuid,
    seq: i32,
    kind: String,
    body: String,
    author_id: Uuid,
    written_at: DateTime,
    supersedes: Option<Uuid>,
    chain: Option<String>,
}

#[async_trait::async_trait]
impl MigrationTrait for Proof {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        for (table, column) in columns() {
            manager.alter_table(Table::alter().table(table).add_column_if_not_exists(column).take()).await?;
        }
        if !manager.has_index("records", CODE).await? {
            manager.create_index(Index::create().name(CODE).table("records").col("code").unique().take()).await?;
        }
        let mut heads = table(HEADS);
        heads
            .col(big_integer("id").primary_key())
            .col(at("at"))
            .col(char_len("before", 64))
            .col(char_len("root", 64))
            .col(long_text("heads"));
        manager.create_table(heads).await?;
        chain_all(manager).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table(HEADS).if_exists().take()).await?;
        if manager.has_index("records", CODE).await? {
            manager.drop_index(Index::drop().name(CODE).table("records").to_owned()).await?;
        }
        for (table, column) in columns() {
            drop_column(manager, table, &column.get_column_name()).await?;
        }
        Ok(())
    }
}

/// Gives what was written before hashes were kept its hash, once: from now on an entry without one is not believed.
async fn chain_all(manager: &SchemaManager<'_>) -> Result<(), DbErr> {
    let db = manager.get_connection();
    let without = Query::select().distinct().column("job_id").from("entries").and_where(Expr::col("chain").is_null()).take();
    for job in db.query_all(&without).await? {
        let job: Uuid = job.try_get("", "job_id")?;
        let mut of_job = Query::select();
        of_job.columns(["id", "seq", "kind", "body", "author_id", "written_at", "supersedes", "chain"]).from("entries");
        of_job.and_where(Expr::col("job_id").eq(job)).order_by("seq", Order::Asc);
        let mut before = job.to_string();
        for row in db.query_all(&of_job).await? {
            let row = Row::from_query_result(&row, "")?;
            before = match row.chain.clone() {
                Some(chain) => chain,
                None => {
                    let chain = hash(&row, &before);
                    let filled = Query::update().table("entries").value("chain", &*chain).and_where(Expr::col("id").eq(row.id)).take();
                    db.execute(&filled).await?;
                    chain
                }
            };
        }
    }
    Ok(())
}

fn hash(row: &Row, before: &str) -> String {
    let entry = Chained {
        id: row.id.to_string(),
        seq: row.seq,
        kind: row.kind.clone(),
        body: row.body.clone(),
        author: row.author_id.to_string(),
        at: row.written_at.and_utc(),
        supersedes: row.supersedes.map(|id| id.to_string()),
        chain: String::new(),
    };
    entry.after(before)
}
