//! What a shop's closed jobs say of the next: what they were by engine family, how long they took, which came back.
use super::Job;
use crate::entity::{engine, job, search_index};
use crate::{Connection, StoreError, Viewer, from_json};
use chrono::NaiveDateTime;
use sea_orm::sea_query::Expr;
use sea_orm::{ColumnTrait, EntityTrait, ExprTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::experience::Memory;

/// What is learnt of one family.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Learnt {
    /// Its engines; of an engine without a family itself alone.
    pub engines: Vec<Uuid>,
    /// Closed jobs whose cause is known, and how long they took. The family's name stands in it, of an engine without one its own.
    pub memory: Memory,
    /// Jobs of it whose vehicle came back with the same: they are not counted.
    pub came_back: u32,
}

/// Engine, cause, whether it came back, jobs.
type Counted = (Uuid, String, Option<bool>, i64);

/// By family, those with most jobs first. A job closed on a supposition counts for nothing, and one that came back neither.
pub async fn learnt(db: &Connection, viewer: &Viewer) -> Result<Vec<Learnt>, StoreError> {
    let engines = engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).order_by_asc(engine::Column::Name);
    let closed = search_index::Entity::find()
        .filter(search_index::Column::ShopId.eq(viewer.shop))
        .filter(search_index::Column::Cause.is_not_null())
        .select_only()
        .column(search_index::Column::EngineId)
        .column(search_index::Column::Cause)
        .column(search_index::Column::CameBack)
        .column_as(search_index::Column::JobId.count(), "jobs")
        .group_by(search_index::Column::EngineId)
        .group_by(search_index::Column::Cause)
        .group_by(search_index::Column::CameBack);
    let timed = search_index::Entity::find()
        .filter(search_index::Column::ShopId.eq(viewer.shop))
        .filter(Expr::col(search_index::Column::TookMin).is_not_null().and(Expr::col(search_index::Column::PlannedMin).is_not_null()))
        .select_only()
        .columns([search_index::Column::EngineId, search_index::Column::TookMin, search_index::Column::PlannedMin]);
    let (engines, closed, timed) =
        tokio::try_join!(engines.all(db), closed.into_tuple::<Counted>().all(db), timed.into_tuple::<(Uuid, f64, f64)>().all(db))?;
    let mut families: Vec<Learnt> = Vec::new();
    let mut place_of: HashMap<Uuid, usize> = HashMap::new();
    for row in engines {
        let card: Card = from_json("engine card", &row.card)?;
        let family = card.family.clone().filter(|family| !family.trim().is_empty());
        let same =
            |known: &Learnt| family.as_ref().is_some_and(|family| velvet_dial_core::experience::same_family(&known.memory.family, family));
        let place = families.iter().position(same).unwrap_or_else(|| {
            let family = family.clone().unwrap_or(row.name);
            families.push(Learnt { memory: Memory { family, ..Memory::default() }, ..Learnt::default() });
            families.len() - 1
        });
        if let Some(learnt) = families.get_mut(place) {
            learnt.engines.push(row.id);
        }
        place_of.insert(row.id, place);
    }
    for (engine, cause, came_back, jobs) in closed {
        let Some(learnt) = place_of.get(&engine).and_then(|place| families.get_mut(*place)) else { continue };
        let jobs = u32::try_from(jobs).unwrap_or(u32::MAX);
        if came_back == Some(true) {
            learnt.came_back += jobs;
        } else {
            *learnt.memory.closed.entry(cause).or_default() += jobs;
        }
    }
    for (engine, took, planned) in timed {
        if let Some(learnt) = place_of.get(&engine).and_then(|place| families.get_mut(*place)) {
            learnt.memory.took.add(took, planned);
        }
    }
    families.retain(|learnt| learnt.memory.jobs() + learnt.memory.took.jobs + learnt.came_back > 0);
    families.sort_by_key(|learnt| std::cmp::Reverse(learnt.memory.jobs()));
    Ok(families)
}

/// A closed job on the same vehicle.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Before {
    /// Its number.
    pub number: i64,
    /// When it was closed, UTC.
    pub closed_at: NaiveDateTime,
    /// What was said then.
    pub complaint: String,
    /// What it was.
    pub cause: Option<String>,
    /// What was done as a stopgap, in the technician's words: the fault itself was still there.
    pub stopgap: Option<String>,
}

/// The last job on this vehicle that was closed before this one was opened.
pub async fn before(db: &Connection, viewer: &Viewer, of: &Job) -> Result<Option<Before>, StoreError> {
    let last = job::Entity::find()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::VehicleId.eq(of.head.vehicle.id))
        .filter(job::Column::Id.ne(of.head.id))
        .filter(job::Column::ClosedAt.lte(of.head.opened_at))
        .order_by_desc(job::Column::ClosedAt)
        .one(db)
        .await?;
    let Some((last, closed_at)) = last.and_then(|last| last.closed_at.map(|at| (last, at))) else { return Ok(None) };
    let known = search_index::Entity::find_by_id(last.id).one(db).await?;
    let stopgap = super::load(db, viewer, last.number).await?.repairs().find(|repair| repair.stopgap).map(|repair| repair.done.clone());
    Ok(Some(Before { number: last.number, closed_at, complaint: last.complaint, cause: known.and_then(|row| row.cause), stopgap }))
}
