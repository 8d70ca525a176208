//! Recorded runs, kept byte for byte.
use super::own_job;
use crate::entity::capture as table;
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder};
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// A kept file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kept {
    /// Key.
    pub id: Uuid,
    /// Its name when it came.
    pub name: String,
    /// SHA-256 of its bytes, hexadecimal.
    pub digest: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The columns as a person named them, in the web's own words.
    pub mapping: Option<String>,
    /// When it came, UTC.
    pub uploaded_at: NaiveDateTime,
    /// Numbers of the other jobs of the shop that hold the same bytes.
    pub also_in: Vec<i64>,
}

/// Keeps a file; the same bytes in the same job are kept once.
pub async fn add_capture(db: &Connection, viewer: &Viewer, number: i64, name: &str, bytes: &[u8]) -> Result<Uuid, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let digest: String = Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect();
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
    };
    match table::Entity::insert(row).exec_without_returning(db).await {
        Ok(_) => Ok(id),
        Err(error) if crate::stands_already(&error) => table::Entity::find()
            .filter(table::Column::JobId.eq(job.id))
            .filter(table::Column::Digest.eq(digest))
            .one(db)
            .await?
            .map(|row| row.id)
            .ok_or(StoreError::NotFound),
        Err(error) => Err(error.into()),
    }
}

/// One kept file of a job.
pub async fn capture(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<Kept, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let row = table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id)).one(db).await?.ok_or(StoreError::NotFound)?;
    kept(db, viewer, number, row).await
}

/// True when a kept file belongs to this job.
pub async fn has_capture(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<bool, StoreError> {
    use sea_orm::PaginatorTrait;
    let job = own_job(db, viewer, number).await?;
    Ok(table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id)).count(db).await? == 1)
}

/// All kept files of a job, oldest first.
pub async fn captures(db: &Connection, viewer: &Viewer, number: i64) -> Result<Vec<Kept>, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let rows = table::Entity::find().filter(table::Column::JobId.eq(job.id)).order_by_asc(table::Column::Id).all(db).await?;
    let mut all = Vec::with_capacity(rows.len());
    for row in rows {
        all.push(kept(db, viewer, number, row).await?);
    }
    Ok(all)
}

/// Keeps how a person named the columns.
pub async fn set_mapping(db: &Connection, viewer: &Viewer, number: i64, id: Uuid, mapping: &str) -> Result<(), StoreError> {
    let kept = capture(db, viewer, number, id).await?;
    table::ActiveModel { id: Set(kept.id), mapping: Set(Some(mapping.to_owned())), ..Default::default() }.update(db).await?;
    Ok(())
}

async fn kept(db: &Connection, viewer: &Viewer, number: i64, row: table::Model) -> Result<Kept, StoreError> {
    use crate::entity::job;
    use sea_orm::QuerySelect;
    let elsewhere: Vec<Uuid> = table::Entity::find()
        .select_only()
        .column(table::Column::JobId)
        .filter(table::Column::Digest.eq(&row.digest))
        .into_tuple()
        .all(db)
        .await?;
    let also_in: Vec<i64> = job::Entity::find()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::Id.is_in(elsewhere))
        .filter(job::Column::Number.ne(number))
        .all(db)
        .await?
        .into_iter()
        .map(|job| job.number)
        .collect();
    Ok(Kept {
        id: row.id,
        name: row.name,
        digest: row.digest,
        bytes: row.bytes,
        mapping: row.mapping,
        uploaded_at: row.uploaded_at,
        also_in,
    })
}
