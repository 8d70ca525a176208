//! Scenes are cleared away: whole, with all that was written and drawn for them. Nothing of them was ever signed, and nothing of the shop stands on them.
use crate::entity::{
    capture, capture_part, customer_link, engine, entry, job, photo, record, rig_chunk, rig_run, run_mark, search_index, sheet, summary,
    vehicle,
};
use crate::{Connection, StoreError, Viewer, now};
use chrono::TimeDelta;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QuerySelect, TransactionTrait};
use uuid::Uuid;

/// Scenes are kept so many days after they were begun.
const KEPT_DAYS: i64 = 365;
/// Scenes cleared at once.
const AT_ONCE: u64 = 100;

/// Clears what a person handed back from every list; how many scenes. What was written for them goes when a server next starts, since one that serves may delete no entry.
pub async fn clear(db: &Connection, bench: &Viewer) -> Result<u64, StoreError> {
    let scenes = job::Entity::update_many().col_expr(job::Column::SceneClearedAt, Expr::value(now()));
    let scenes = scenes.filter(job::Column::ShopId.eq(bench.shop)).filter(job::Column::SceneSeed.is_not_null());
    let own = scenes.filter(job::Column::OpenedBy.eq(bench.user)).filter(job::Column::SceneEndedAt.is_not_null());
    Ok(own.filter(job::Column::SceneClearedAt.is_null()).exec(db).await?.rows_affected)
}

/// Takes away what was cleared, and what is older than a year; how many scenes. For the owner of the database alone.
pub async fn take_cleared(db: &Connection) -> Result<usize, StoreError> {
    let since = now() - TimeDelta::days(KEPT_DAYS);
    let mut cleared = 0;
    loop {
        // A real job has no seed; without one nothing is ever taken away.
        let scenes = job::Entity::find().filter(job::Column::SceneSeed.is_not_null());
        let rows: Vec<(Uuid, Uuid, Uuid)> = scenes
            .filter(job::Column::SceneClearedAt.is_not_null().or(job::Column::OpenedAt.lt(since)))
            .select_only()
            .columns([job::Column::Id, job::Column::EngineId, job::Column::VehicleId])
            .limit(AT_ONCE)
            .into_tuple()
            .all(db)
            .await?;
        if rows.is_empty() {
            return Ok(cleared);
        }
        let transaction = db.begin().await?;
        jobs(&transaction, rows.iter().map(|(job, ..)| *job).collect()).await?;
        for (_, engine, vehicle) in &rows {
            belongings(&transaction, *engine, *vehicle).await?;
        }
        transaction.commit().await?;
        cleared += rows.len();
    }
}

async fn jobs(db: &impl ConnectionTrait, jobs: Vec<Uuid>) -> Result<(), StoreError> {
    let captures: Vec<Uuid> = capture::Entity::find()
        .select_only()
        .column(capture::Column::Id)
        .filter(capture::Column::JobId.is_in(jobs.clone()))
        .into_tuple()
        .all(db)
        .await?;
    capture_part::Entity::delete_many().filter(capture_part::Column::CaptureId.is_in(captures)).exec(db).await?;
    capture::Entity::delete_many().filter(capture::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    photo::Entity::delete_many().filter(photo::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    let runs = rig_run::Entity::find().select_only().column(rig_run::Column::Id).filter(rig_run::Column::JobId.is_in(jobs.clone()));
    let runs: Vec<Uuid> = runs.into_tuple().all(db).await?;
    rig_chunk::Entity::delete_many().filter(rig_chunk::Column::RunId.is_in(runs.clone())).exec(db).await?;
    run_mark::Entity::delete_many().filter(run_mark::Column::RunId.is_in(runs)).exec(db).await?;
    rig_run::Entity::delete_many().filter(rig_run::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    customer_link::Entity::delete_many().filter(customer_link::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    search_index::Entity::delete_many().filter(search_index::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    record::Entity::delete_many().filter(record::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    summary::Entity::delete_many().filter(summary::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    // An entry may point at the one that it took the place of.
    let entries = entry::Entity::update_many().col_expr(entry::Column::Supersedes, Expr::value(None::<Uuid>));
    entries.filter(entry::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    entry::Entity::delete_many().filter(entry::Column::JobId.is_in(jobs.clone())).exec(db).await?;
    job::Entity::delete_many().filter(job::Column::Id.is_in(jobs)).exec(db).await?;
    Ok(())
}

/// The engine and the vehicle of a scene, where no other scene has them.
async fn belongings(db: &impl ConnectionTrait, engine: Uuid, vehicle: Uuid) -> Result<(), StoreError> {
    if job::Entity::find().filter(job::Column::EngineId.eq(engine)).one(db).await?.is_none() {
        sheet::Entity::delete_many().filter(sheet::Column::EngineId.eq(engine)).exec(db).await?;
        engine::Entity::delete_by_id(engine).exec(db).await?;
    }
    if job::Entity::find().filter(job::Column::VehicleId.eq(vehicle)).one(db).await?.is_none() {
        vehicle::Entity::delete_by_id(vehicle).exec(db).await?;
    }
    Ok(())
}
