//! Closing a job: with what it stood on.
use super::ledger::{self, Along, Write};
use super::link;
use super::{Body, Found, own_job};
use crate::entity::{entry, job, record, shop};
use crate::{Connection, StoreError, Viewer, json};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, PaginatorTrait, QueryFilter};
use uuid::Uuid;
use velvet_dial_core::record::Record;

/// What closes a job.
#[derive(Debug, Clone)]
pub struct Closing<'a> {
    /// Key of the form.
    pub submit_key: &'a str,
    /// The last entry that the record knows of.
    pub seq: i32,
    /// What it stands on.
    pub record: &'a Record,
    /// What it turned out to be.
    pub found: Found,
    /// When; now, but for a job brought in from elsewhere.
    pub at: Option<NaiveDateTime>,
    /// Who asked for it, where a foreman said yes to it.
    pub asked_by: Option<&'a str>,
}

/// What became of a closing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Closed {
    /// It is closed: now, or it was already.
    Stands,
    /// Somebody has written since the record was made: make it anew and close again.
    Moved,
}

/// Closes a job and keeps its record, both or neither.
pub async fn close(db: &Connection, viewer: &Viewer, number: i64, closing: &Closing<'_>) -> Result<Closed, StoreError> {
    own_job(db, viewer, number).await?;
    let Record { knowledge, papers, .. } = closing.record;
    let code = Some(papers.code.as_str()).filter(|code| !code.is_empty());
    let pin = Pin { seq: closing.seq, knowledge, code, text: json("record", closing.record)? };
    let write = Write {
        at: closing.at,
        asked_by: closing.asked_by,
        ..Write::of(Body::Closed { found: closing.found.clone() }, closing.submit_key)
    };
    match ledger::write_with(db, viewer, number, &write, Some(&Along::Record(pin))).await? {
        Some(_) => Ok(Closed::Stands),
        None => Ok(Closed::Moved),
    }
}

/// A record on its way into the ledger's transaction.
pub(super) struct Pin<'a> {
    pub(super) seq: i32,
    knowledge: &'a str,
    code: Option<&'a str>,
    text: String,
}

impl Pin<'_> {
    pub(super) async fn keep(&self, db: &impl ConnectionTrait, job: Uuid, entry: Uuid) -> Result<(), StoreError> {
        let row = record::ActiveModel {
            entry_id: Set(entry),
            job_id: Set(job),
            knowledge: Set(self.knowledge.to_owned()),
            body: Set(self.text.clone()),
            code: Set(self.code.map(str::to_owned)),
        };
        row.insert(db).await?;
        // For good: a link does not come back when the job is opened again.
        link::end_open(db, job).await
    }
}

/// Whose report a code is on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CodeShop {
    /// Key.
    pub id: Uuid,
    /// Name.
    pub name: String,
}

/// A closing's record as it is kept, found by the code printed on the report: the shop, the record's text, and whether the closing still holds.
pub async fn record_by_code(db: &Connection, code: &str) -> Result<Option<(CodeShop, String, bool)>, StoreError> {
    let Some(row) = record::Entity::find().filter(record::Column::Code.eq(code)).one(db).await? else { return Ok(None) };
    let job = job::Entity::find_by_id(row.job_id).one(db).await?.ok_or(StoreError::NotFound)?;
    let shop = shop::Entity::find_by_id(job.shop_id).one(db).await?.ok_or(StoreError::NotFound)?;
    let reopened = entry::Entity::find().filter(entry::Column::Supersedes.eq(row.entry_id)).count(db).await? > 0;
    Ok(Some((CodeShop { id: shop.id, name: shop.name }, row.body, !reopened)))
}
