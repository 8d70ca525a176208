//! Rigs of a shop, and the runs that they record: paired by a token, assigned to one job, kept a second at a time.
mod keeper;
mod marks;
mod run;
pub(crate) mod seconds;

pub use keeper::Keeper;
pub use marks::{Mark, mark, marks, set_mark};
pub use run::{Recorded, recorded, runs};
pub use seconds::{Clock, Keeping, Peaks, chunks, damaged, kept, packed, peaks};

use crate::entity::{instrument, job, rig as table};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder};
use uuid::Uuid;

/// A rig of the shop.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rig {
    /// Key.
    pub id: Uuid,
    /// Its name, one word.
    pub name: String,
    /// Number of the job it is assigned to.
    pub job: Option<i64>,
    /// The shop's gauge that it reads with.
    pub gauge: Option<Uuid>,
    /// When it was paired, UTC.
    pub paired_at: NaiveDateTime,
    /// When it was last let in, UTC.
    pub seen_at: Option<NaiveDateTime>,
}

/// Bytes of a token: written as twice as many hexadecimal digits.
const TOKEN_BYTES: usize = 16;

/// Pairs a rig: its key, and the token that is shown this once. `None` when another paired rig has the name.
pub async fn pair(db: &Connection, viewer: &Viewer, name: &str, gauge: Option<Uuid>) -> Result<Option<(Uuid, String)>, StoreError> {
    own_gauge(db, viewer, gauge).await?;
    let (id, token) = (Uuid::now_v7(), secret::new::<TOKEN_BYTES>()?);
    let row = table::ActiveModel {
        id: Set(id),
        shop_id: Set(viewer.shop),
        name: Set(name.to_owned()),
        taken: Set(Some(name.to_owned())),
        token: Set(secret::digest(&token)),
        job_id: Set(None),
        instrument_id: Set(gauge),
        paired_by: Set(viewer.user),
        paired_at: Set(now()),
        seen_at: Set(None),
    };
    match row.insert(db).await {
        Ok(_) => Ok(Some((id, token))),
        Err(error) if crate::stands_already(&error) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// Gives a paired rig another token; the one it had lets nobody in any more.
pub async fn pair_again(db: &Connection, viewer: &Viewer, rig: Uuid) -> Result<String, StoreError> {
    own(db, viewer, rig).await?;
    let token = secret::new::<TOKEN_BYTES>()?;
    table::ActiveModel { id: Set(rig), token: Set(secret::digest(&token)), ..Default::default() }.update(db).await?;
    Ok(token)
}

/// Says with which gauge of the shop a rig reads from its next start on; a run that has begun keeps the one that it began with.
pub async fn set_gauge(db: &Connection, viewer: &Viewer, rig: Uuid, gauge: Option<Uuid>) -> Result<(), StoreError> {
    own_gauge(db, viewer, gauge).await?;
    own(db, viewer, rig).await?;
    table::ActiveModel { id: Set(rig), instrument_id: Set(gauge), ..Default::default() }.update(db).await?;
    Ok(())
}

/// A rig that is let in no more; what it recorded stays.
pub async fn unpair(db: &Connection, viewer: &Viewer, rig: Uuid) -> Result<(), StoreError> {
    own(db, viewer, rig).await?;
    table::ActiveModel {
        id: Set(rig),
        taken: Set(None),
        token: Set(secret::digest(&secret::new::<TOKEN_BYTES>()?)),
        job_id: Set(None),
        ..Default::default()
    }
    .update(db)
    .await?;
    Ok(())
}

/// Sends a rig to a job of the shop that is open, or to none. What it records from now on belongs there.
pub async fn assign(db: &Connection, viewer: &Viewer, rig: Uuid, number: Option<i64>) -> Result<(), StoreError> {
    own(db, viewer, rig).await?;
    let mut to = None;
    if let Some(number) = number {
        let job = crate::jobs::own_job(db, viewer, number).await?;
        if job.closed_at.is_some() {
            return Err(StoreError::Closed);
        }
        to = Some(job.id);
    }
    table::ActiveModel { id: Set(rig), job_id: Set(to), ..Default::default() }.update(db).await?;
    Ok(())
}

/// The paired rigs of the shop, by name.
pub async fn rigs(db: &Connection, viewer: &Viewer) -> Result<Vec<Rig>, StoreError> {
    let paired = table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop)).filter(table::Column::Taken.is_not_null());
    let rows = paired.order_by_asc(table::Column::Name).all(db).await?;
    let jobs = job::Entity::find().filter(job::Column::Id.is_in(rows.iter().filter_map(|row| row.job_id))).all(db).await?;
    let number = |id: Uuid| jobs.iter().find(|job| job.id == id).map(|job| job.number);
    let rig = |row: table::Model| Rig {
        job: row.job_id.and_then(number),
        id: row.id,
        name: row.name,
        gauge: row.instrument_id,
        paired_at: row.paired_at,
        seen_at: row.seen_at,
    };
    Ok(rows.into_iter().map(rig).collect())
}

async fn own(db: &impl ConnectionTrait, viewer: &Viewer, rig: Uuid) -> Result<table::Model, StoreError> {
    let paired = table::Entity::find_by_id(rig).filter(table::Column::ShopId.eq(viewer.shop)).filter(table::Column::Taken.is_not_null());
    paired.one(db).await?.ok_or(StoreError::NotFound)
}

async fn own_gauge(db: &impl ConnectionTrait, viewer: &Viewer, gauge: Option<Uuid>) -> Result<(), StoreError> {
    let Some(gauge) = gauge else { return Ok(()) };
    let found = instrument::Entity::find_by_id(gauge).filter(instrument::Column::ShopId.eq(viewer.shop)).one(db).await?;
    found.map(drop).ok_or(StoreError::NotFound)
}
