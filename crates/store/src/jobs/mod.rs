//! A job and its ledger.
mod capture;
mod case;
mod entry;
mod ledger;

pub use capture::{Kept, add_capture, capture, captures, has_capture, set_mapping};
pub use entry::{Body, Entry, Repair, TakenReading};
pub use ledger::{Write, Written, write};

use crate::entity::{job, user};
use crate::library::{self, Engine, Gauge, Vehicle};
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::{NotSet, Set};
use sea_orm::{ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect};
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
        closed_at: Set(None),
    };
    match job::Entity::insert(row).exec_without_returning(db).await {
        Err(error) if !crate::stands_already(&error) => return Err(error.into()),
        _ => {}
    }
    let found =
        job::Entity::find().filter(job::Column::SubmitKey.eq(submit_key)).filter(job::Column::ShopId.eq(viewer.shop)).one(db).await?;
    found.map(|row| row.number).ok_or(StoreError::NotFound)
}

/// What a board shows: a page of the open jobs and the newest closed ones.
#[derive(Debug, Clone, PartialEq)]
pub struct Board {
    /// Open jobs of the page, newest first.
    pub open: Vec<Job>,
    /// How many are open in all.
    pub all_open: u64,
    /// The newest closed ones.
    pub closed: Vec<Job>,
}

/// The board of a shop, in a fixed number of queries: `page` counts from 0 and holds `size` open jobs.
pub async fn board(db: &Connection, viewer: &Viewer, page: u64, size: u64) -> Result<Board, StoreError> {
    let of_shop = || job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).order_by_desc(job::Column::Number);
    let is_open = || of_shop().filter(job::Column::ClosedAt.is_null());
    let all_open = is_open().count(db).await?;
    let mut rows = is_open().offset(page.saturating_mul(size)).limit(size).all(db).await?;
    rows.extend(of_shop().filter(job::Column::ClosedAt.is_not_null()).limit(CLOSED_SHOWN).all(db).await?);
    let (closed, open) = whole(db, viewer, rows).await?.into_iter().partition(Job::closed);
    Ok(Board { open, all_open, closed })
}

/// Closed jobs on a board.
const CLOSED_SHOWN: u64 = 30;

/// A whole job of the shop by its number.
pub async fn load(db: &Connection, viewer: &Viewer, number: i64) -> Result<Job, StoreError> {
    let row = own_job(db, viewer, number).await?;
    whole(db, viewer, vec![row]).await?.pop().ok_or(StoreError::NotFound)
}

/// Jobs with all that belongs to them, in the order given, in a fixed number of queries.
async fn whole(db: &Connection, viewer: &Viewer, rows: Vec<job::Model>) -> Result<Vec<Job>, StoreError> {
    let vehicles = library::vehicles_of(db, viewer, rows.iter().map(|row| row.vehicle_id)).await?;
    let engines = library::engines_of(db, viewer, rows.iter().map(|row| row.engine_id)).await?;
    let gauges = library::gauges(db, viewer).await?;
    let mut entries = ledger::entries(db, rows.iter().map(|row| row.id)).await?;
    rows.into_iter()
        .map(|row| {
            let vehicle = vehicles.get(&row.vehicle_id).cloned().ok_or(StoreError::NotFound)?;
            let engine = engines.get(&row.engine_id).cloned().ok_or(StoreError::NotFound)?;
            let entries = entries.remove(&row.id).unwrap_or_default();
            Ok(Job { head: head(row, vehicle), engine, gauges: gauges.clone(), entries })
        })
        .collect()
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
