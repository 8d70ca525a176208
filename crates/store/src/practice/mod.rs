//! The practice bench of a shop: a shop of its own beside it, so that no scene gets onto the board, into search, learning, figures or exports of the real one. People
//! stay who they are: whoever belongs to the shop is at home at its bench. Job numbers are the database's, so a scene's address is no job's.
mod clearing;
mod task;

pub use clearing::{clear, take_cleared};
pub use task::{NewTask, Task, set, task, tasks};

use crate::entity::{entry, job, shop, vehicle};
use crate::jobs::{Body, Opening, Scene, SceneBegun, Write};
use crate::{Connection, StoreError, Viewer, jobs, library, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, Select};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::case::Case;
use velvet_dial_core::rights::Role;

/// A scene in the list.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Number of its job.
    pub number: i64,
    /// Plate.
    pub tag: String,
    /// What the customer says.
    pub complaint: String,
    /// Who began it, by key.
    pub by: Uuid,
    /// When, UTC.
    pub began_at: NaiveDateTime,
    /// Which scene it is.
    pub scene: Scene,
    /// Entries in its history.
    pub entries: u64,
}

/// Most scenes in the list.
const LISTED: u64 = 60;

async fn row_of_bench(db: &Connection, viewer: &Viewer) -> Result<Option<shop::Model>, StoreError> {
    Ok(shop::Entity::find().filter(shop::Column::PracticeOf.eq(viewer.shop)).one(db).await?)
}

/// The same person at the bench: there everybody may do everything, since no vehicle and no customer comes to harm.
fn on_the_bench(bench: Uuid, viewer: &Viewer) -> Viewer {
    Viewer { shop: bench, role: Role::Owner, ..viewer.clone() }
}

/// The same person at the bench of their shop; the bench is set up when it is first asked for.
pub async fn at_the_bench(db: &Connection, viewer: &Viewer) -> Result<Viewer, StoreError> {
    let at = |bench: &shop::Model| on_the_bench(bench.id, viewer);
    if let Some(bench) = row_of_bench(db, viewer).await? {
        return Ok(at(&bench));
    }
    let own = shop::Entity::find_by_id(viewer.shop).one(db).await?.ok_or(StoreError::NotFound)?;
    let bench = shop::ActiveModel {
        id: Set(Uuid::now_v7()),
        name: Set("Practice bench".to_owned()),
        zone: Set(own.zone),
        opens_min: Set(own.opens_min),
        closes_min: Set(own.closes_min),
        labour_rate: Set(own.labour_rate),
        money: Set(own.money),
        saturdays: Set(own.saturdays),
        learns: Set(Some(false)),
        practice_of: Set(Some(viewer.shop)),
        ..Default::default()
    };
    match bench.insert(db).await {
        Ok(bench) => Ok(at(&bench)),
        // Somebody of the shop was quicker.
        Err(error) if crate::stands_already(&error) => row_of_bench(db, viewer).await?.as_ref().map(at).ok_or(StoreError::NotFound),
        Err(error) => Err(error.into()),
    }
}

/// The viewer of a job: at the bench where the job is a scene of their shop's bench, else as they are.
pub async fn viewer_of_job(db: &Connection, viewer: &Viewer, number: i64) -> Result<Viewer, StoreError> {
    let whose = job::Entity::find().select_only().column(job::Column::ShopId).filter(job::Column::Number.eq(number));
    let shop: Option<Uuid> = whose.into_tuple().one(db).await?;
    match shop.filter(|shop| *shop != viewer.shop) {
        Some(other) if row_of_bench(db, viewer).await?.is_some_and(|bench| bench.id == other) => Ok(on_the_bench(other, viewer)),
        _ => Ok(viewer.clone()),
    }
}

/// Somebody has opened no job yet, neither of the shop nor at its bench.
pub async fn has_begun_nothing(db: &Connection, viewer: &Viewer) -> Result<bool, StoreError> {
    Ok(job::Entity::find().filter(job::Column::OpenedBy.eq(viewer.user)).limit(1).one(db).await?.is_none())
}

/// What a scene is begun with.
#[derive(Debug)]
pub struct Begin<'a> {
    /// Which scene.
    pub scene: SceneBegun,
    /// Plate, vehicle, what the customer says.
    pub words: (&'a str, &'a str, &'a str),
    /// Card, sheet, gauge and what was reported.
    pub brief: &'a Case,
    /// Key of the form.
    pub key: &'a str,
}

/// Begins a scene at the bench; the number of its job.
pub async fn begin(db: &Connection, bench: &Viewer, begin: &Begin<'_>) -> Result<i64, StoreError> {
    let (tag, description, complaint) = begin.words;
    // The name says nothing of the scene, and is the form's: the same form once more finds what it began.
    let name = format!("Practice engine {}", begin.key.chars().take(8).collect::<String>());
    let engine = match library::add_engine_with(db, bench, (&name, &begin.brief.engine), begin.brief.spec.as_ref()).await? {
        Some(engine) => engine,
        None => {
            let known = library::engine_names(db, bench).await?.into_iter().find(|known| known.name == name).ok_or(StoreError::NotFound)?;
            let begun = job::Entity::find().filter(job::Column::EngineId.eq(known.id)).one(db).await?;
            if let Some(begun) = begun {
                return Ok(begun.number);
            }
            known.id
        }
    };
    let known = library::gauges(db, bench).await?;
    let new = begin.brief.instruments.values().filter(|gauge| known.iter().all(|known| known.gauge != **gauge));
    for (place, gauge) in new.enumerate() {
        library::add_gauge(db, bench, &format!("Bench gauge {}", known.len() + place + 1), gauge).await?;
    }
    let opening = Opening { tag, description, engine, complaint, submit_key: begin.key, scene: Some(begin.scene.clone()), at: None };
    let number = jobs::open(db, bench, &opening).await?;
    for circumstance in &begin.brief.circumstances {
        let body = Body::Circumstance { circumstance: circumstance.clone(), told: true };
        jobs::write(db, bench, number, &Write::of(body, &format!("{}-{circumstance}", begin.key))).await?;
    }
    Ok(number)
}

/// The scenes of the bench, the newest first.
pub async fn scenes(db: &Connection, bench: &Viewer) -> Result<Vec<Row>, StoreError> {
    let own = job::Entity::find().filter(job::Column::ShopId.eq(bench.shop));
    rows(db, own.filter(job::Column::SceneClearedAt.is_null()).limit(LISTED)).await
}

/// The scenes that were begun for a task, the newest first.
pub async fn scenes_of_task(db: &Connection, bench: &Viewer, task: Uuid) -> Result<Vec<Row>, StoreError> {
    rows(db, job::Entity::find().filter(job::Column::ShopId.eq(bench.shop)).filter(job::Column::SceneTask.eq(task))).await
}

fn scene_of(row: &job::Model) -> Option<Scene> {
    let begun = (row.scene_seed, row.scene_grade);
    Scene::of_row(begun, row.scene_given.as_deref(), row.scene_task, row.scene_ended_at, row.scene_result.clone())
}

/// The scenes that somebody handed back, how each was given and what came of it.
pub async fn handed_back(db: &Connection, bench: &Viewer) -> Result<Vec<Scene>, StoreError> {
    let own = job::Entity::find().filter(job::Column::ShopId.eq(bench.shop)).filter(job::Column::OpenedBy.eq(bench.user));
    let rows = own.filter(job::Column::SceneEndedAt.is_not_null()).order_by_desc(job::Column::Number).all(db).await?;
    Ok(rows.iter().filter_map(scene_of).collect())
}

async fn rows(db: &Connection, wanted: Select<job::Entity>) -> Result<Vec<Row>, StoreError> {
    let rows = wanted.order_by_desc(job::Column::Number).find_also_related(vehicle::Entity).all(db).await?;
    let counted = entry::Entity::find()
        .select_only()
        .column(entry::Column::JobId)
        .column_as(entry::Column::Id.count(), "entries")
        .filter(entry::Column::JobId.is_in(rows.iter().map(|(row, _)| row.id)))
        .group_by(entry::Column::JobId);
    let entries: HashMap<Uuid, i64> = counted.into_tuple().all(db).await?.into_iter().collect();
    let scene = |(row, vehicle): (job::Model, Option<vehicle::Model>)| {
        Some(Row {
            number: row.number,
            scene: scene_of(&row)?,
            tag: vehicle.map(|vehicle| vehicle.tag).unwrap_or_default(),
            complaint: row.complaint,
            by: row.opened_by,
            began_at: row.opened_at,
            entries: entries.get(&row.id).copied().unwrap_or_default() as u64,
        })
    };
    Ok(rows.into_iter().filter_map(scene).collect())
}

/// Hands a scene back with what came of it, as JSON: its marks are shown from now on, and nothing more is asked of it.
pub async fn hand_back(db: &Connection, bench: &Viewer, number: i64, result: &str) -> Result<(), StoreError> {
    let row = jobs::own_job(db, bench, number).await?;
    if row.scene_seed.is_none() {
        return Err(StoreError::NotFound);
    }
    if row.scene_ended_at.is_some() {
        return Ok(());
    }
    let ended = job::ActiveModel {
        id: Set(row.id),
        scene_ended_at: Set(Some(now())),
        scene_result: Set(Some(result.to_owned())),
        ..Default::default()
    };
    ended.update(db).await?;
    Ok(())
}
