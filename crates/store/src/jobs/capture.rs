//! Recorded runs, kept byte for byte.
use super::own_job;
use crate::entity::{capture as table, job};
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{ColumnTrait, EntityTrait, FromQueryResult, QueryFilter, QueryOrder, QuerySelect};
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// What is told of a kept file where its bytes are not wanted.
#[derive(Debug, Clone, PartialEq, Eq, FromQueryResult)]
struct Told {
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

/// A kept file with its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kept {
    /// What a list tells of it.
    pub file: File,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The columns as a person named them, in the web's own words.
    pub mapping: Option<String>,
}

/// Bytes of recorded runs that a job may hold, and a shop.
pub const MOST_OF_JOB: i64 = 64 << 20;
/// See [`MOST_OF_JOB`].
pub const MOST_OF_SHOP: i64 = 4 << 30;

/// Keeps a file; the same bytes in the same job are kept once.
pub async fn add_capture(db: &Connection, viewer: &Viewer, number: i64, name: &str, bytes: &[u8]) -> Result<Uuid, StoreError> {
    let job = own_job(db, viewer, number).await?;
    quota(db, viewer, job.id, bytes.len() as i64).await?;
    let digest = crate::hex(&Sha256::digest(bytes));
    let id = Uuid::now_v7();
    let row = table::ActiveModel {
        id: Set(id),
        job_id: Set(job.id),
        name: Set(name.chars().take(200).collect()),
        digest: Set(digest.clone()),
        bytes: Set(bytes.to_vec()),
        mapping: Set(None),
        uploaded_by: Set(viewer.user),
        uploaded_at: Set(now()),
        size: Set(Some(bytes.len() as i64)),
    };
    match table::Entity::insert(row).exec_without_returning(db).await {
        Ok(_) => Ok(id),
        Err(error) if crate::stands_already(&error) => table::Entity::find()
            .filter(table::Column::JobId.eq(job.id))
            .filter(table::Column::Digest.eq(digest))
            .select_only()
            .column(table::Column::Id)
            .into_tuple()
            .one(db)
            .await?
            .ok_or(StoreError::NotFound),
        Err(error) => Err(error.into()),
    }
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

/// One kept file of a job.
pub async fn capture(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<Kept, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let row = table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id)).one(db).await?.ok_or(StoreError::NotFound)?;
    let told = Told { id: row.id, name: row.name, digest: row.digest, uploaded_at: row.uploaded_at };
    let file = files(db, viewer, number, vec![told]).await?.pop().ok_or(StoreError::NotFound)?;
    Ok(Kept { file, bytes: row.bytes, mapping: row.mapping })
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
        .into_model::<Told>()
        .all(db)
        .await?;
    files(db, viewer, number, told).await
}

/// Keeps how a person named the columns.
pub async fn set_mapping(db: &Connection, viewer: &Viewer, number: i64, id: Uuid, mapping: &str) -> Result<(), StoreError> {
    if !has_capture(db, viewer, number, id).await? {
        return Err(StoreError::NotFound);
    }
    let named = table::ActiveModel { mapping: Set(Some(mapping.to_owned())), ..Default::default() };
    table::Entity::update_many().set(named).filter(table::Column::Id.eq(id)).exec(db).await?;
    Ok(())
}

/// The other jobs of the shop that hold the same bytes.
async fn files(db: &Connection, viewer: &Viewer, number: i64, told: Vec<Told>) -> Result<Vec<File>, StoreError> {
    let elsewhere: Vec<(String, i64)> = table::Entity::find()
        .inner_join(job::Entity)
        .filter(table::Column::Digest.is_in(told.iter().map(|file| file.digest.clone())))
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::Number.ne(number))
        .order_by_asc(job::Column::Number)
        .select_only()
        .column(table::Column::Digest)
        .column(job::Column::Number)
        .into_tuple()
        .all(db)
        .await?;
    let also = |digest: &str| elsewhere.iter().filter(|(same, _)| same == digest).map(|(_, number)| *number).collect();
    Ok(told
        .into_iter()
        .map(|file| File { also_in: also(&file.digest), id: file.id, name: file.name, digest: file.digest, uploaded_at: file.uploaded_at })
        .collect())
}
