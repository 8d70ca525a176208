//! A customer is removed from a closed job: names, numbers and words go, in the ledger, in the kept reports and in what the job is found by; an entry says that it was done and why.
//!
//! What was hashed and signed stays as it is, since it never held them, so every hash and signature goes on to hold.
use super::ledger::{Along, Write, write_with};
use super::{Body, foreman, own_job, personal};
use crate::entity::{entry, record};
use crate::{Connection, StoreError, Viewer};
use sea_orm::sea_query::Expr;
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter};
use uuid::Uuid;
use velvet_dial_core::signing::without_customer;

/// The kind of the entry that says that a customer was removed.
pub(super) const KIND: &str = "customer_removed";

/// Whether a job says anything of its customer.
pub async fn names_customer(db: &Connection, viewer: &Viewer, number: i64) -> Result<bool, StoreError> {
    let job = own_job(db, viewer, number).await?;
    Ok(entry::Entity::find().filter(entry::Column::JobId.eq(job.id)).filter(entry::Column::Personal.is_not_null()).one(db).await?.is_some())
}

/// Removes the customer from a closed job, and writes who did so and why.
///
/// # Errors
/// [`StoreError::Open`] while the job is open, [`StoreError::Report`] where a report was signed with the customer's name in it; nothing is changed then.
pub async fn remove_customer(db: &Connection, viewer: &Viewer, number: i64, because: &str) -> Result<(), StoreError> {
    let job = own_job(db, viewer, number).await?;
    if job.closed_at.is_none() {
        return Err(StoreError::Open);
    }
    let key = Uuid::new_v4().to_string();
    let write = Write::of(Body::CustomerRemoved { because: because.to_owned() }, &key);
    write_with(db, viewer, number, &write, Some(&Along::Removal)).await?;
    Ok(())
}

/// Takes the customer away, in the transaction of the entry that says so.
pub(super) async fn take_away(db: &impl ConnectionTrait, job: Uuid) -> Result<(), StoreError> {
    entry::Entity::update_many()
        .col_expr(entry::Column::Personal, Expr::value(None::<String>))
        .filter(entry::Column::JobId.eq(job))
        .exec(db)
        .await?;
    foreman::forget(db, job).await?;
    for row in record::Entity::find().filter(record::Column::JobId.eq(job)).all(db).await? {
        let text = without_customer(&row.body)?;
        if text != row.body {
            record::Entity::update_many()
                .col_expr(record::Column::Body, Expr::value(text))
                .filter(record::Column::EntryId.eq(row.entry_id))
                .exec(db)
                .await?;
        }
    }
    Ok(())
}

/// The kinds of entries that [`first_changed`] looks at.
pub(super) fn kinds() -> impl Iterator<Item = &'static str> {
    personal::FIELDS.iter().map(|(kind, _)| *kind).chain([KIND])
}

/// The first entry that says another thing of the customer than what it was hashed of, or that lost it although no entry says that the customer was removed.
pub(super) fn first_changed(rows: &[entry::Model]) -> Option<i32> {
    let removed = rows.iter().filter(|row| row.kind == KIND).map(|row| row.seq).max().unwrap_or(0);
    let holds = |row: &entry::Model| match &row.personal {
        Some(kept) => personal::holds(&row.kind, &row.body, kept),
        None => row.seq < removed || !personal::was_taken_out(&row.kind, &row.body),
    };
    rows.iter().find(|row| !holds(row)).map(|row| row.seq)
}
