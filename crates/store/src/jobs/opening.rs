//! Opening a job.
use super::{SceneBegun, ledger, summary};
use crate::entity::{job, summary as summary_table};
use crate::programs::{self, HookEvent};
use crate::{Connection, StoreError, Viewer, json, library, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::{NotSet, Set};
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, TransactionTrait};
use uuid::Uuid;

/// What opens a job.
#[derive(Debug, Clone)]
pub struct Opening<'a> {
    /// Plate or fleet number.
    pub tag: &'a str,
    /// What the vehicle is.
    pub description: &'a str,
    /// Engine.
    pub engine: Uuid,
    /// What the customer said.
    pub complaint: &'a str,
    /// Key of the form: the same form sent twice opens one job.
    pub submit_key: &'a str,
    /// Where it is a scene of the practice bench.
    pub scene: Option<SceneBegun>,
    /// When; now, but for a job brought in from elsewhere.
    pub at: Option<NaiveDateTime>,
}

/// Opens a job, or finds the one this very form opened before; its number.
pub async fn open(db: &Connection, viewer: &Viewer, opening: &Opening<'_>) -> Result<i64, StoreError> {
    library::engine(db, viewer, opening.engine).await?;
    let vehicle = library::vehicle_tagged(db, viewer, opening.tag, opening.description).await?;
    // Typed anew on the same form means another job; sent again means the same one.
    let submit_key = ledger::digest(opening.submit_key, &[opening.tag, opening.complaint, &opening.engine.to_string()]);
    let scene = opening.scene.as_ref();
    let row = job::ActiveModel {
        id: Set(Uuid::now_v7()),
        number: NotSet,
        shop_id: Set(viewer.shop),
        vehicle_id: Set(vehicle.id),
        engine_id: Set(opening.engine),
        complaint: Set(opening.complaint.to_owned()),
        opened_by: Set(viewer.user),
        opened_at: Set(opening.at.unwrap_or_else(now)),
        submit_key: Set(submit_key.clone()),
        closed_at: Set(None),
        scene_seed: Set(scene.map(|scene| scene.seed as i64)),
        scene_grade: Set(scene.map(|scene| i16::from(scene.grade))),
        scene_ended_at: Set(None),
        scene_given: Set(scene.map(|scene| json("scene", &scene.given)).transpose()?),
        scene_task: Set(scene.and_then(|scene| scene.task)),
        scene_result: Set(None),
        scene_cleared_at: Set(None),
    };
    let transaction = db.begin().await?;
    let mut is_new = false;
    match job::Entity::insert(row).exec_without_returning(&transaction).await {
        Err(error) if !crate::stands_already(&error) => return Err(error.into()),
        Err(_) => {}
        Ok(_) => is_new = true,
    }
    let of_form = job::Entity::find().filter(job::Column::SubmitKey.eq(submit_key)).filter(job::Column::ShopId.eq(viewer.shop));
    let found = of_form.one(&transaction).await?.ok_or(StoreError::NotFound)?;
    if summary_table::Entity::find_by_id(found.id).one(&transaction).await?.is_none() {
        summary::follow(&transaction, viewer, &[found.id]).await?;
    }
    if is_new {
        let event = HookEvent { kind: "job.opened", shop: viewer.shop, number: found.number, opened_by: viewer.user, entry: None };
        programs::tell(&transaction, &event).await?;
    }
    transaction.commit().await?;
    Ok(found.number)
}
