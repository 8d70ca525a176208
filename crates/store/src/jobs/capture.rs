//! Recorded runs, kept byte for byte.
use super::{Body, own_job};
use crate::entity::{capture as table, capture_part as part, entry, job};
use crate::rigs::seconds;
use crate::{Connection, StoreError, Viewer, now};
use chrono::{NaiveDateTime, TimeDelta};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait, Query};
use sea_orm::{ColumnTrait, EntityTrait, FromQueryResult, QueryFilter, QueryOrder, QuerySelect, TransactionTrait};
use sha2::{Digest, Sha256};
use uuid::Uuid;
use velvet_dial_core::hex::hex;

/// What is told of a kept file where its bytes are not wanted.
#[derive(Debug, Clone, PartialEq, Eq, FromQueryResult)]
struct CaptureRow {
    id: Uuid,
    name: String,
    digest: String,
    uploaded_at: NaiveDateTime,
}

/// A kept file in a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct File {
    /// Key.
    pub id: Uuid,
    /// Its name when it came.
    pub name: String,
    /// SHA-256 of its bytes, hexadecimal.
    pub digest: String,
    /// When it came, UTC.
    pub uploaded_at: NaiveDateTime,
    /// Numbers of the other jobs of the shop that hold the same bytes.
    pub also_in: Vec<i64>,
}

/// Bytes of recorded runs that a job may hold, and a shop.
pub const MOST_OF_JOB: i64 = 256 << 20;
/// See [`MOST_OF_JOB`].
pub const MOST_OF_SHOP: i64 = 8 << 30;
/// A file is kept in parts of so many bytes, well below what the database takes at once.
pub const PART: usize = 1 << 20;
/// Parts of a file that never came to its end are forgotten after so long.
const FORGOTTEN_AFTER: TimeDelta = TimeDelta::days(1);

/// A file that is coming in.
pub struct Incoming {
    id: Uuid,
    job: Uuid,
    by: Uuid,
    name: String,
    hash: Sha256,
    size: i64,
    parts: i32,
    rest: Vec<u8>,
}

impl Incoming {
    /// Begins one.
    pub async fn begin(db: &Connection, viewer: &Viewer, number: i64, name: &str) -> Result<Self, StoreError> {
        let job = own_job(db, viewer, number).await?;
        quota(db, viewer, job.id, 0).await?;
        let name = name.chars().take(200).collect();
        Ok(Self {
            id: Uuid::now_v7(),
            job: job.id,
            by: viewer.user,
            name,
            hash: Sha256::new(),
            size: 0,
            parts: 0,
            rest: Vec::with_capacity(PART),
        })
    }

    /// Bytes that came so far.
    pub fn size(&self) -> i64 {
        self.size
    }

    /// Takes what came.
    pub async fn take(&mut self, db: &Connection, mut bytes: &[u8]) -> Result<(), StoreError> {
        self.hash.update(bytes);
        self.size += bytes.len() as i64;
        while !bytes.is_empty() {
            let (now, later) = bytes.split_at(bytes.len().min(PART - self.rest.len()));
            self.rest.extend_from_slice(now);
            bytes = later;
            if self.rest.len() == PART {
                self.flush(db).await?;
            }
        }
        Ok(())
    }

    async fn flush(&mut self, db: &Connection) -> Result<(), StoreError> {
        let row = part::ActiveModel { capture_id: Set(self.id), part: Set(self.parts), bytes: Set(std::mem::take(&mut self.rest)) };
        part::Entity::insert(row).exec_without_returning(db).await?;
        self.parts += 1;
        Ok(())
    }

    /// Forgets it: it broke off, or is not to be kept.
    pub async fn forget(&self, db: &Connection) -> Result<(), StoreError> {
        part::Entity::delete_many().filter(part::Column::CaptureId.eq(self.id)).exec(db).await?;
        Ok(())
    }

    /// Keeps it, and says its key; the same bytes in the same job are kept once.
    pub async fn keep(mut self, db: &Connection, viewer: &Viewer) -> Result<Uuid, StoreError> {
        if let Err(error) = quota(db, viewer, self.job, self.size).await {
            self.forget(db).await?;
            return Err(error);
        }
        if !self.rest.is_empty() {
            self.flush(db).await?;
        }
        let digest = hex(&self.hash.clone().finalize());
        let row = table::ActiveModel {
            id: Set(self.id),
            job_id: Set(self.job),
            name: Set(self.name.clone()),
            digest: Set(digest.clone()),
            bytes: Set(Vec::new()),
            mapping: Set(None),
            uploaded_by: Set(self.by),
            uploaded_at: Set(now()),
            size: Set(Some(self.size)),
        };
        match table::Entity::insert(row).exec_without_returning(db).await {
            Ok(_) => Ok(self.id),
            Err(error) if crate::stands_already(&error) => {
                self.forget(db).await?;
                let same = table::Entity::find().filter(table::Column::JobId.eq(self.job)).filter(table::Column::Digest.eq(digest));
                same.select_only().column(table::Column::Id).into_tuple().one(db).await?.ok_or(StoreError::NotFound)
            }
            Err(error) => Err(error.into()),
        }
    }
}

/// Keeps a file that is whole already.
pub async fn add_capture(db: &Connection, viewer: &Viewer, number: i64, name: &str, bytes: &[u8]) -> Result<Uuid, StoreError> {
    let mut incoming = Incoming::begin(db, viewer, number, name).await?;
    incoming.take(db, bytes).await?;
    incoming.keep(db, viewer).await
}

/// Forgets parts of files that broke off long ago: no file names them.
pub async fn forget_parts(db: &Connection) -> Result<(), StoreError> {
    // Keys grow with time.
    let before = u64::try_from((chrono::Utc::now() - FORGOTTEN_AFTER).timestamp_millis()).unwrap_or(0);
    let oldest = Uuid::from_u128(u128::from(before) << 80);
    let named = Query::select().column(table::Column::Id).from(table::Entity).take();
    part::Entity::delete_many()
        .filter(part::Column::CaptureId.lt(oldest))
        .filter(part::Column::CaptureId.not_in_subquery(named))
        .exec(db)
        .await?;
    Ok(())
}

/// Refuses what would be more than a job or a shop may hold.
async fn quota(db: &Connection, viewer: &Viewer, job: Uuid, more: i64) -> Result<(), StoreError> {
    let of_job = table::Entity::find().filter(table::Column::JobId.eq(job));
    let of_shop = table::Entity::find().inner_join(job::Entity).filter(job::Column::ShopId.eq(viewer.shop));
    for (held, most, whose) in [(of_job, MOST_OF_JOB, "job"), (of_shop, MOST_OF_SHOP, "shop")] {
        let sum: Option<Option<i64>> = held
            .select_only()
            .column_as(Expr::col((table::Entity, table::Column::Size)).sum().cast_as("SIGNED"), "held")
            .into_tuple()
            .one(db)
            .await?;
        if sum.flatten().unwrap_or(0) + more > most {
            return Err(StoreError::Full { whose, most_mb: most >> 20 });
        }
    }
    Ok(())
}

/// One kept file of a job as a list tells it, and its columns as a person named them, in the web's own words.
pub async fn capture_head(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<(File, Option<String>), StoreError> {
    let job = own_job(db, viewer, number).await?;
    let own = table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id));
    let columns = [table::Column::Id, table::Column::Name, table::Column::Digest, table::Column::UploadedAt, table::Column::Mapping];
    let row: (Uuid, String, String, NaiveDateTime, Option<String>) =
        own.select_only().columns(columns).into_tuple().one(db).await?.ok_or(StoreError::NotFound)?;
    let (id, name, digest, uploaded_at, mapping) = row;
    let file = files(db, viewer, number, vec![CaptureRow { id, name, digest, uploaded_at }]).await?.pop().ok_or(StoreError::NotFound)?;
    Ok((file, mapping))
}

/// The bytes of a file whose head was asked for.
pub async fn capture_bytes(db: &Connection, id: Uuid) -> Result<Vec<u8>, StoreError> {
    let own = table::Entity::find_by_id(id).select_only().columns([table::Column::Bytes, table::Column::Size]);
    let (mut bytes, size): (Vec<u8>, Option<i64>) = own.into_tuple().one(db).await?.ok_or(StoreError::NotFound)?;
    bytes.reserve(usize::try_from(size.unwrap_or(0)).unwrap_or(0));
    for place in 0.. {
        let part = part::Entity::find_by_id((id, place)).select_only().column(part::Column::Bytes).into_tuple::<Vec<u8>>().one(db).await?;
        let Some(part) = part else { break };
        bytes.extend(part);
    }
    Ok(bytes)
}

/// True when a kept file belongs to this job.
pub async fn has_capture(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<bool, StoreError> {
    use sea_orm::PaginatorTrait;
    let job = own_job(db, viewer, number).await?;
    Ok(table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id)).count(db).await? == 1)
}

/// All kept files of a job, oldest first, in a fixed number of queries that never touch their bytes.
pub async fn captures(db: &Connection, viewer: &Viewer, number: i64) -> Result<Vec<File>, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let told = table::Entity::find()
        .filter(table::Column::JobId.eq(job.id))
        .order_by_asc(table::Column::Id)
        .select_only()
        .columns([table::Column::Id, table::Column::Name, table::Column::Digest, table::Column::UploadedAt])
        .into_model::<CaptureRow>()
        .all(db)
        .await?;
    files(db, viewer, number, told).await
}

/// Keeps how a person named the columns; what was read under other names is forgotten.
pub async fn set_mapping(db: &Connection, viewer: &Viewer, number: i64, id: Uuid, mapping: &str) -> Result<(), StoreError> {
    if !has_capture(db, viewer, number, id).await? {
        return Err(StoreError::NotFound);
    }
    let named = table::ActiveModel { mapping: Set(Some(mapping.to_owned())), ..Default::default() };
    let transaction = db.begin().await?;
    table::Entity::update_many().set(named).filter(table::Column::Id.eq(id)).exec(&transaction).await?;
    seconds::forget(&transaction, id).await?;
    Ok(transaction.commit().await?)
}

/// The other jobs of the shop that hold the same bytes.
async fn files(db: &Connection, viewer: &Viewer, number: i64, told: Vec<CaptureRow>) -> Result<Vec<File>, StoreError> {
    let mut elsewhere: Vec<(String, i64, Uuid, Uuid)> = table::Entity::find()
        .inner_join(job::Entity)
        .filter(table::Column::Digest.is_in(told.iter().map(|file| file.digest.clone())))
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::Number.ne(number))
        .order_by_asc(job::Column::Number)
        .select_only()
        .column(table::Column::Digest)
        .column(job::Column::Number)
        .column(table::Column::Id)
        .column(table::Column::JobId)
        .into_tuple()
        .all(db)
        .await?;
    if !elsewhere.is_empty() {
        let gone = withdrawn(db, elsewhere.iter().map(|(.., job)| *job)).await?;
        elsewhere.retain(|(.., id, _)| !gone.contains(id));
    }
    let also = |digest: &str| elsewhere.iter().filter(|(same, ..)| same == digest).map(|(_, number, ..)| *number).collect();
    Ok(told
        .into_iter()
        .map(|file| File { also_in: also(&file.digest), id: file.id, name: file.name, digest: file.digest, uploaded_at: file.uploaded_at })
        .collect())
}

/// The runs that were withdrawn from these jobs, and are not used again.
async fn withdrawn(db: &Connection, jobs: impl Iterator<Item = Uuid>) -> Result<Vec<Uuid>, StoreError> {
    let says = entry::Entity::find().filter(entry::Column::JobId.is_in(jobs)).filter(entry::Column::Kind.eq(Body::UPLOAD_WITHDRAWN));
    let said: Vec<(Uuid, String)> = says.select_only().column(entry::Column::Id).column(entry::Column::Body).into_tuple().all(db).await?;
    let heirs = entry::Entity::find().filter(entry::Column::Supersedes.is_in(said.iter().map(|(id, _)| *id)));
    let replaced: Vec<Uuid> = match said.is_empty() {
        true => Vec::new(),
        false => heirs.select_only().column(entry::Column::Supersedes).into_tuple().all(db).await?,
    };
    let gone = |(id, body): &(Uuid, String)| match serde_json::from_str(body) {
        Ok(Body::UploadWithdrawn { capture, .. }) if !replaced.contains(id) => Some(capture),
        _ => None,
    };
    Ok(said.iter().filter_map(gone).collect())
}
