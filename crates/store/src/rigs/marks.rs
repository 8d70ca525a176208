//! Moments of a run that somebody marked, at the rig or on a screen.
use super::Recorded;
use crate::entity::{rig_run, run_mark, user};
use crate::jobs::own_job;
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, ModelTrait, QueryFilter, QueryOrder};
use uuid::Uuid;

/// A marked moment.
#[derive(Debug, Clone, PartialEq)]
pub struct Mark {
    /// Key.
    pub id: Uuid,
    /// Seconds of the run.
    pub at_s: f64,
    /// What was to be seen or heard, in the words of who marked it; may be empty.
    pub note: String,
    /// Who; nobody where it was marked at the rig.
    pub who: Option<String>,
    /// When, UTC.
    pub made_at: NaiveDateTime,
}

/// Puts one beside a run.
pub(super) async fn put(db: &impl ConnectionTrait, run: Uuid, at_us: u64, note: &str, by: Option<Uuid>) -> Result<(), StoreError> {
    let row = run_mark::ActiveModel {
        id: Set(Uuid::now_v7()),
        run_id: Set(run),
        at_us: Set(i64::try_from(at_us).unwrap_or(i64::MAX)),
        note: Set(note.to_owned()),
        made_by: Set(by),
        made_at: Set(now()),
    };
    run_mark::Entity::insert(row).exec_without_returning(db).await?;
    Ok(())
}

/// Marks a moment of a job's run, by the rig's clock.
pub async fn mark(db: &Connection, viewer: &Viewer, number: i64, run: Uuid, at_us: u64, note: &str) -> Result<(), StoreError> {
    open_run(db, viewer, number, run).await?;
    put(db, run, at_us, note, Some(viewer.user)).await
}

/// Says what a mark stands for, or takes it away where nothing is said.
pub async fn set_mark(db: &Connection, viewer: &Viewer, number: i64, run: Uuid, id: Uuid, note: Option<&str>) -> Result<(), StoreError> {
    open_run(db, viewer, number, run).await?;
    let found = run_mark::Entity::find_by_id(id).filter(run_mark::Column::RunId.eq(run)).one(db).await?.ok_or(StoreError::NotFound)?;
    match note {
        Some(note) => {
            run_mark::ActiveModel { id: Set(id), note: Set(note.to_owned()), ..Default::default() }.update(db).await?;
        }
        None => {
            found.delete(db).await?;
        }
    }
    Ok(())
}

/// The marks of a run of the viewer's, in order.
pub async fn marks(db: &Connection, run: &Recorded) -> Result<Vec<Mark>, StoreError> {
    let rows = run_mark::Entity::find()
        .filter(run_mark::Column::RunId.eq(run.id))
        .order_by_asc(run_mark::Column::AtUs)
        .find_also_related(user::Entity)
        .all(db)
        .await?;
    let mark = |(row, user): (run_mark::Model, Option<user::Model>)| Mark {
        id: row.id,
        at_s: (row.at_us as u64).saturating_sub(run.clock().zero_us()) as f64 / 1e6,
        note: row.note,
        who: user.map(|user| user.shown_name),
        made_at: row.made_at,
    };
    Ok(rows.into_iter().map(mark).collect())
}

async fn open_run(db: &Connection, viewer: &Viewer, number: i64, run: Uuid) -> Result<(), StoreError> {
    let job = own_job(db, viewer, number).await?;
    if job.closed_at.is_some() {
        return Err(StoreError::Closed);
    }
    let found = rig_run::Entity::find_by_id(run).filter(rig_run::Column::JobId.eq(job.id)).one(db).await?;
    found.map(drop).ok_or(StoreError::NotFound)
}
