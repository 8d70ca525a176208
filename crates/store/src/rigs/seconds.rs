//! Runs as they are kept, a second at a time: a rig's as it records, and a long file's beside its bytes. They are read by their peaks or sample by sample, and only what is looked at.
use crate::entity::rig_chunk;
use crate::{Connection, StoreError};
use sea_orm::ActiveValue::Set;
use sea_orm::{ColumnTrait, ConnectionTrait, DatabaseTransaction, EntityTrait, QueryFilter, QueryOrder, QuerySelect, TransactionTrait};
use std::io::{Error, ErrorKind};
use uuid::Uuid;
use velvet_dial_rig::chunk::{COLUMNS, Chunk, ChunkError, Peak, packed_peaks, unpacked_peaks};

/// The first and the last time of a run, microseconds of its own clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clock(pub (u64, u64));

impl Clock {
    /// At its beginning.
    pub fn zero_us(self) -> u64 {
        self.0.0
    }

    /// So many seconds after its beginning.
    pub fn at_us(self, seconds: f64) -> u64 {
        self.zero_us().saturating_add((seconds.max(0.0) * 1e6) as u64)
    }

    /// How long it runs, s.
    pub fn seconds(self) -> f64 {
        self.0.1.saturating_sub(self.zero_us()) as f64 / 1e6
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

/// The peaks of a run of the viewer's between two times of the rig's clock, in order.
pub async fn peaks(db: &Connection, run: Uuid, from_us: u64, to_us: u64) -> Result<Vec<Peaks>, StoreError> {
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
pub async fn packed(db: &Connection, run: Uuid, from_us: u64, to_us: u64) -> Result<Vec<(u64, Vec<u8>)>, StoreError> {
    let rows: Vec<(i64, Vec<u8>)> = within(run, from_us, to_us)
        .select_only()
        .columns([rig_chunk::Column::FirstSeq, rig_chunk::Column::Bytes])
        .into_tuple()
        .all(db)
        .await?;
    Ok(rows.into_iter().map(|(first, bytes)| (first as u64, bytes)).collect())
}

/// The same, unpacked.
pub async fn chunks(db: &Connection, run: Uuid, from_us: u64, to_us: u64) -> Result<Vec<Chunk>, StoreError> {
    packed(db, run, from_us, to_us).await?.into_iter().map(|(first, bytes)| Chunk::unpacked(first, &bytes).map_err(damaged)).collect()
}

/// What a second that cannot be unpacked is.
pub fn damaged(error: ChunkError) -> StoreError {
    StoreError::Damaged { what: "second of a run", source: serde_json::Error::io(Error::new(ErrorKind::InvalidData, error)) }
}

fn within(run: Uuid, from_us: u64, to_us: u64) -> sea_orm::Select<rig_chunk::Entity> {
    let clamped = |us: u64| i64::try_from(us).unwrap_or(i64::MAX);
    rig_chunk::Entity::find()
        .filter(rig_chunk::Column::RunId.eq(run))
        .filter(rig_chunk::Column::Samples.gt(0))
        .filter(rig_chunk::Column::ToUs.gte(clamped(from_us)))
        .filter(rig_chunk::Column::FromUs.lte(clamped(to_us)))
        .order_by_asc(rig_chunk::Column::FirstSeq)
}

/// A second as its row.
pub(super) fn row(run: Uuid, chunk: &Chunk, bytes: Vec<u8>) -> rig_chunk::ActiveModel {
    let (from, to) = chunk.span().unwrap_or_default();
    rig_chunk::ActiveModel {
        run_id: Set(run),
        first_seq: Set(chunk.first as i64),
        samples: Set(chunk.us.len() as i32),
        lost: Set(chunk.lost as i64),
        from_us: Set(from as i64),
        to_us: Set(to as i64),
        peaks: Set(packed_peaks(&chunk.peaks())),
        bytes: Set(bytes),
    }
}

/// The seconds of a file's run on their way: all are kept, or none.
pub struct Keeping {
    transaction: DatabaseTransaction,
    file: Uuid,
}

impl Keeping {
    /// Begins, in the place of what was kept of the file before.
    pub async fn begin(db: &Connection, file: Uuid) -> Result<Self, StoreError> {
        let transaction = db.begin().await?;
        forget(&transaction, file).await?;
        Ok(Self { transaction, file })
    }

    /// Takes some, each with its packed bytes.
    pub async fn take(&self, seconds: Vec<(Chunk, Vec<u8>)>) -> Result<(), StoreError> {
        let rows = seconds.into_iter().map(|(chunk, bytes)| row(self.file, &chunk, bytes));
        rig_chunk::Entity::insert_many(rows).exec_without_returning(&self.transaction).await?;
        Ok(())
    }

    /// All are here.
    pub async fn end(self) -> Result<(), StoreError> {
        Ok(self.transaction.commit().await?)
    }
}

/// Forgets the seconds of a file's run: its columns are named anew.
pub(crate) async fn forget(db: &impl ConnectionTrait, file: Uuid) -> Result<(), StoreError> {
    rig_chunk::Entity::delete_many().filter(rig_chunk::Column::RunId.eq(file)).exec(db).await?;
    Ok(())
}

/// The time of the last sample kept of a run, microseconds, and how many are kept; none where it is not kept by the second.
pub async fn kept(db: &Connection, run: Uuid) -> Result<Option<(u64, u64)>, StoreError> {
    let last = rig_chunk::Entity::find().filter(rig_chunk::Column::RunId.eq(run)).order_by_desc(rig_chunk::Column::FirstSeq);
    let columns = [rig_chunk::Column::ToUs, rig_chunk::Column::FirstSeq];
    let row: Option<(i64, i64, i32)> = last.select_only().columns(columns).column(rig_chunk::Column::Samples).into_tuple().one(db).await?;
    Ok(row.map(|(to, first, samples)| (to as u64, first as u64 + samples.max(0) as u64)))
}
