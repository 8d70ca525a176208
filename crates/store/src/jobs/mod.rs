//! A job and its ledger.
mod capture;
mod case;
mod entry;
mod ledger;

pub use capture::{Kept, add_capture, capture, captures, has_capture, set_mapping};
pub use entry::{Body, Entry, Repair, TakenReading};
pub use ledger::{Write, Written, write};

use crate::entity::{job, user, vehicle};
use crate::library::{self, Engine, Gauge, Vehicle};
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::{NotSet, Set};
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::limits::{self, Sheet};

/// A job's first page: who, what, when.
#[derive(Debug, Clone, PartialEq)]
pub struct Head {
    /// Key.
    pub id: Uuid,
    /// The number people say.
    pub number: i64,
    /// The vehicle.
    pub vehicle: Vehicle,
    /// The engine's key.
    pub engine: Uuid,
    /// What the customer said.
    pub complaint: String,
    /// When it was opened, UTC.
    pub opened_at: NaiveDateTime,
}

/// A whole job.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// First page.
    pub head: Head,
    /// The engine with all its sheets.
    pub engine: Engine,
    /// The gauges of the shop.
    pub gauges: Vec<Gauge>,
    /// Every entry ever made, oldest first.
    pub entries: Vec<Entry>,
}

impl Job {
    /// The sheet in force on the day the job was opened.
    pub fn sheet(&self) -> Option<&Sheet> {
        limits::in_force(&self.engine.sheets, self.head.opened_at.date())
    }

    /// Entries that hold: not superseded, not withdrawn.
    pub fn live(&self) -> impl Iterator<Item = &Entry> {
        self.entries
            .iter()
            .filter(|entry| !matches!(entry.body, Body::Withdrawn { .. } | Body::Reopened { .. }) && self.heir(entry.id).is_none())
    }

    /// The entry that supersedes another.
    pub fn heir(&self, id: Uuid) -> Option<&Entry> {
        self.entries.iter().find(|entry| entry.supersedes == Some(id))
    }

    /// Number of the last entry; 0 in an empty ledger.
    pub fn seq(&self) -> i32 {
        self.entries.last().map_or(0, |entry| entry.seq)
    }

    /// The repair that holds, the last one where there are several.
    pub fn repair(&self) -> Option<&Repair> {
        self.live().filter_map(|entry| if let Body::Repair(repair) = &entry.body { Some(repair) } else { None }).last()
    }

    /// True once the job was closed.
    pub fn closed(&self) -> bool {
        self.live().any(|entry| matches!(entry.body, Body::Closed { .. }))
    }
}

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
    /// When; now, but for a job brought in from elsewhere.
    pub at: Option<NaiveDateTime>,
}

/// Opens a job, or finds the one this very form opened before; its number.
pub async fn open(db: &Connection, viewer: &Viewer, opening: &Opening<'_>) -> Result<i64, StoreError> {
    library::engine(db, viewer, opening.engine).await?;
    let vehicle = library::vehicle_tagged(db, viewer, opening.tag, opening.description).await?;
    // Typed anew on the same form means another job; sent again means the same one.
    let submit_key = ledger::digest(opening.submit_key, &[opening.tag, opening.complaint, &opening.engine.to_string()]);
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
    };
    match job::Entity::insert(row).exec_without_returning(db).await {
        Err(error) if !crate::stands_already(&error) => return Err(error.into()),
        _ => {}
    }
    let found =
        job::Entity::find().filter(job::Column::SubmitKey.eq(submit_key)).filter(job::Column::ShopId.eq(viewer.shop)).one(db).await?;
    found.map(|row| row.number).ok_or(StoreError::NotFound)
}

/// Jobs of the shop, newest first.
pub async fn list(db: &Connection, viewer: &Viewer, most: u64) -> Result<Vec<Head>, StoreError> {
    let rows =
        job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).order_by_desc(job::Column::Number).limit(most).all(db).await?;
    let vehicles: HashMap<Uuid, Vehicle> = library::vehicles(db, viewer).await?.into_iter().map(|v| (v.id, v)).collect();
    rows.into_iter()
        .map(|row| {
            let vehicle = vehicles.get(&row.vehicle_id).cloned().ok_or(StoreError::NotFound)?;
            Ok(head(row, vehicle))
        })
        .collect()
}

/// A whole job of the shop by its number.
pub async fn load(db: &Connection, viewer: &Viewer, number: i64) -> Result<Job, StoreError> {
    let row = own_job(db, viewer, number).await?;
    let vehicle = vehicle::Entity::find_by_id(row.vehicle_id).one(db).await?.ok_or(StoreError::NotFound)?;
    let vehicle = Vehicle { id: vehicle.id, tag: vehicle.tag, description: vehicle.description };
    let engine = library::engine(db, viewer, row.engine_id).await?;
    let gauges = library::gauges(db, viewer).await?;
    let entries = ledger::entries(db, row.id).await?;
    Ok(Job { head: head(row, vehicle), engine, gauges, entries })
}

fn head(row: job::Model, vehicle: Vehicle) -> Head {
    Head { id: row.id, number: row.number, vehicle, engine: row.engine_id, complaint: row.complaint, opened_at: row.opened_at }
}

async fn own_job(db: &Connection, viewer: &Viewer, number: i64) -> Result<job::Model, StoreError> {
    job::Entity::find()
        .filter(job::Column::Number.eq(number))
        .filter(job::Column::ShopId.eq(viewer.shop))
        .one(db)
        .await?
        .ok_or(StoreError::NotFound)
}

async fn names(db: &Connection, users: impl IntoIterator<Item = Uuid>) -> Result<HashMap<Uuid, String>, StoreError> {
    let rows = user::Entity::find().filter(user::Column::Id.is_in(users)).all(db).await?;
    Ok(rows.into_iter().map(|row| (row.id, row.shown_name)).collect())
}
