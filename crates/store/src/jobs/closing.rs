//! Closing a job: with what it stood on.
use super::ledger::{self, Along, Write};
use super::link;
use super::{Body, Found, own_job};
use crate::entity::record;
use crate::{Connection, StoreError, Viewer, json};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ConnectionTrait};
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
    let pin = Pin { seq: closing.seq, knowledge: &closing.record.knowledge, text: json("record", closing.record)? };
    let write = Write { at: closing.at, ..Write::of(Body::Closed { found: closing.found.clone() }, closing.submit_key) };
    match ledger::write_with(db, viewer, number, &write, Some(&Along::Record(pin))).await? {
        Some(_) => Ok(Closed::Stands),
        None => Ok(Closed::Moved),
    }
}

/// A record on its way into the ledger's transaction.
pub(super) struct Pin<'a> {
    pub(super) seq: i32,
    knowledge: &'a str,
    text: String,
}

impl Pin<'_> {
    pub(super) async fn keep(&self, db: &impl ConnectionTrait, job: Uuid, entry: Uuid) -> Result<(), StoreError> {
        let row = record::ActiveModel {
            entry_id: Set(entry),
            job_id: Set(job),
            knowledge: Set(self.knowledge.to_owned()),
            body: Set(self.text.clone()),
        };
        row.insert(db).await?;
        // For good: a link does not come back when the job is opened again.
        link::end_open(db, job).await
    }
}
