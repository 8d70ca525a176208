//! Recorded runs in a list.
use super::seconds::Clock;
use crate::entity::{rig, rig_run};
use crate::jobs::own_job;
use crate::{Connection, StoreError, Viewer, from_json};
use chrono::NaiveDateTime;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QueryOrder};
use uuid::Uuid;
use velvet_dial_rig::said::Channel;

/// A run that a rig recorded.
#[derive(Debug, Clone, PartialEq)]
pub struct Recorded {
    /// Key.
    pub id: Uuid,
    /// Name of the rig.
    pub rig: String,
    /// The shop's gauge that it read with.
    pub gauge: Option<Uuid>,
    /// What it measured.
    pub channels: Vec<Channel>,
    /// When it began, UTC.
    pub started_at: NaiveDateTime,
    /// The rig's clock at its first and last sample, microseconds; none while nothing is kept.
    pub span_us: Option<(u64, u64)>,
    /// Samples kept.
    pub samples: u64,
    /// Samples that the rig could not send.
    pub lost: u64,
}

impl Recorded {
    /// Its clock: the rig's own.
    pub fn clock(&self) -> Clock {
        Clock(self.span_us.unwrap_or_default())
    }
}

fn of(row: rig_run::Model, rig: String) -> Result<Recorded, StoreError> {
    Ok(Recorded {
        id: row.id,
        rig,
        gauge: row.instrument_id,
        channels: from_json("channels", &row.channels)?,
        started_at: row.started_at,
        span_us: row.first_us.zip(row.last_us).map(|(from, to)| (from as u64, to as u64)),
        samples: row.samples as u64,
        lost: row.lost as u64,
    })
}

/// The runs of a job that hold anything, oldest first.
pub async fn runs(db: &Connection, viewer: &Viewer, number: i64) -> Result<Vec<Recorded>, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let rows = rig_run::Entity::find()
        .filter(rig_run::Column::JobId.eq(job.id))
        .filter(rig_run::Column::Samples.gt(0))
        .order_by_asc(rig_run::Column::Id)
        .find_also_related(rig::Entity)
        .all(db)
        .await?;
    rows.into_iter().map(|(row, rig)| of(row, rig.map(|rig| rig.name).unwrap_or_default())).collect()
}

/// One run of a job.
pub async fn recorded(db: &Connection, viewer: &Viewer, number: i64, run: Uuid) -> Result<Recorded, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let found = rig_run::Entity::find_by_id(run).filter(rig_run::Column::JobId.eq(job.id)).find_also_related(rig::Entity).one(db).await?;
    let (row, rig) = found.ok_or(StoreError::NotFound)?;
    of(row, rig.map(|rig| rig.name).unwrap_or_default())
}
