//! Recorded runs, read: in a list, by their peaks, sample by sample.
use crate::entity::{rig, rig_chunk, rig_run};
use crate::jobs::own_job;
use crate::{Connection, StoreError, Viewer, from_json};
use chrono::NaiveDateTime;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use std::io::{Error, ErrorKind};
use uuid::Uuid;
use velvet_dial_rig::chunk::{COLUMNS, Chunk, ChunkError, Peak, unpacked_peaks};
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
    /// How long it is, s.
    pub fn seconds(&self) -> f64 {
        self.span_us.map_or(0.0, |(from, to)| to.saturating_sub(from) as f64 / 1e6)
    }

    /// The rig's clock so many seconds after its beginning.
    pub fn at_us(&self, seconds: f64) -> u64 {
        self.zero_us().saturating_add((seconds.max(0.0) * 1e6) as u64)
    }

    /// The rig's clock at its beginning.
    pub fn zero_us(&self) -> u64 {
        self.span_us.map_or(0, |(from, _)| from)
    }
}

/// The peaks of one chunk.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Peaks {
    /// Its first and last time, microseconds of the rig.
    pub span_us: (u64, u64),
    /// Least, mean and greatest of each column.
    pub columns: [Peak; COLUMNS],
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

/// The peaks of a run of the viewer's between two times of the rig's clock, in order.
pub async fn peaks(db: &Connection, run: &Recorded, from_us: u64, to_us: u64) -> Result<Vec<Peaks>, StoreError> {
    let rows: Vec<(i64, i64, Vec<u8>)> = within(run, from_us, to_us)
        .select_only()
        .columns([rig_chunk::Column::FromUs, rig_chunk::Column::ToUs, rig_chunk::Column::Peaks])
        .into_tuple()
        .all(db)
        .await?;
    let peaks = |(from, to, peaks): (i64, i64, Vec<u8>)| Peaks { span_us: (from as u64, to as u64), columns: unpacked_peaks(&peaks) };
    Ok(rows.into_iter().map(peaks).collect())
}

/// The packed seconds of a run of the viewer's between two times of the rig's clock, in order, each with its first number; the first and last may reach beyond them.
pub async fn packed(db: &Connection, run: &Recorded, from_us: u64, to_us: u64) -> Result<Vec<(u64, Vec<u8>)>, StoreError> {
    let rows: Vec<(i64, Vec<u8>)> = within(run, from_us, to_us)
        .select_only()
        .columns([rig_chunk::Column::FirstSeq, rig_chunk::Column::Bytes])
        .into_tuple()
        .all(db)
        .await?;
    Ok(rows.into_iter().map(|(first, bytes)| (first as u64, bytes)).collect())
}

/// The same, unpacked.
pub async fn chunks(db: &Connection, run: &Recorded, from_us: u64, to_us: u64) -> Result<Vec<Chunk>, StoreError> {
    packed(db, run, from_us, to_us).await?.into_iter().map(|(first, bytes)| Chunk::unpacked(first, &bytes).map_err(damaged)).collect()
}

/// What a second that cannot be unpacked is.
pub fn damaged(error: ChunkError) -> StoreError {
    StoreError::Damaged { what: "second of a run", source: serde_json::Error::io(Error::new(ErrorKind::InvalidData, error)) }
}

fn within(run: &Recorded, from_us: u64, to_us: u64) -> sea_orm::Select<rig_chunk::Entity> {
    let clamped = |us: u64| i64::try_from(us).unwrap_or(i64::MAX);
    rig_chunk::Entity::find()
        .filter(rig_chunk::Column::RunId.eq(run.id))
        .filter(rig_chunk::Column::Samples.gt(0))
        .filter(rig_chunk::Column::ToUs.gte(clamped(from_us)))
        .filter(rig_chunk::Column::FromUs.lte(clamped(to_us)))
        .order_by_asc(rig_chunk::Column::FirstSeq)
}
