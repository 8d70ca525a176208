//! Photos of a job: as they are shown small, and opened large.
use super::own_job;
use crate::entity::photo as table;
use crate::{Connection, StoreError, Viewer, now};
use sea_orm::ActiveValue::Set;
use sea_orm::{ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QuerySelect};
use sha2::{Digest, Sha256};
use uuid::Uuid;
use velvet_dial_core::hex::hex;

/// A photo as it is kept, both as JPEG and without anything about camera, place or time in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Photo {
    /// Width of the large one.
    pub width: u32,
    /// Height of it.
    pub height: u32,
    /// To be shown in a row.
    pub small: Vec<u8>,
    /// To be looked at.
    pub large: Vec<u8>,
}

impl Photo {
    /// What tells it from another.
    pub(crate) fn digest(&self) -> String {
        hex(&Sha256::digest(&self.large))
    }

    /// Width and height as they are kept.
    pub(crate) fn sides(&self) -> (i16, i16) {
        let kept = |side: u32| side.min(i16::MAX as u32) as i16;
        (kept(self.width), kept(self.height))
    }
}

/// Photos that a job may hold.
pub const MOST: u64 = 200;

/// Keeps a photo; the same one in the same job is kept once.
pub async fn add_photo(db: &Connection, viewer: &Viewer, number: i64, photo: &Photo) -> Result<Uuid, StoreError> {
    let job = own_job(db, viewer, number).await?;
    if job.closed_at.is_some() {
        return Err(StoreError::Closed);
    }
    if table::Entity::find().filter(table::Column::JobId.eq(job.id)).count(db).await? >= MOST {
        return Err(StoreError::Album { most: MOST });
    }
    let (digest, (width, height)) = (photo.digest(), photo.sides());
    let id = Uuid::now_v7();
    let row = table::ActiveModel {
        id: Set(id),
        job_id: Set(job.id),
        digest: Set(digest.clone()),
        width: Set(width),
        height: Set(height),
        size: Set(photo.large.len() as i32),
        small: Set(photo.small.clone()),
        large: Set(photo.large.clone()),
        taken_by: Set(viewer.user),
        taken_at: Set(now()),
    };
    match table::Entity::insert(row).exec_without_returning(db).await {
        Ok(_) => Ok(id),
        Err(error) if crate::stands_already(&error) => {
            let same = table::Entity::find().filter(table::Column::JobId.eq(job.id)).filter(table::Column::Digest.eq(digest));
            same.select_only().column(table::Column::Id).into_tuple().one(db).await?.ok_or(StoreError::NotFound)
        }
        Err(error) => Err(error.into()),
    }
}

/// Some photos of a job, large, in no order; one that is not the job's is not among them.
pub async fn photos(db: &Connection, viewer: &Viewer, number: i64, ids: &[Uuid]) -> Result<Vec<(Uuid, Vec<u8>)>, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let own = table::Entity::find().filter(table::Column::JobId.eq(job.id)).filter(table::Column::Id.is_in(ids.iter().copied()));
    Ok(own.select_only().column(table::Column::Id).column(table::Column::Large).into_tuple().all(db).await?)
}

/// A photo of a job, small or large.
pub async fn photo(db: &Connection, viewer: &Viewer, number: i64, id: Uuid, large: bool) -> Result<Vec<u8>, StoreError> {
    let job = own_job(db, viewer, number).await?;
    let own = table::Entity::find_by_id(id).filter(table::Column::JobId.eq(job.id)).select_only();
    let column = if large { table::Column::Large } else { table::Column::Small };
    own.column(column).into_tuple().one(db).await?.ok_or(StoreError::NotFound)
}
