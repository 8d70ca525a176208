//! A job and its ledger.
mod approval;
mod board;
mod capture;
mod case;
mod closing;
#[cfg(test)]
mod corrections;
mod details;
mod entry;
mod find;
mod foreman;
mod learn;
mod ledger;
mod link;
mod note;
mod notices;
mod opening;
mod personal;
mod photo;
mod ranges;
mod removal;
mod retention;
mod scene;
mod summary;

pub use approval::Approval;
pub use board::{Board, Listing, Row, Sieve, Waits, all_open, board, last_written, listed, open_within, opened_by, row};
pub use capture::{
    File, Incoming, MOST_OF_JOB, add_capture, capture_bytes, capture_head, captures, forget_parts, has_capture, set_mapping,
};
pub use closing::{Closed, Closing, CodeShop, close, record_by_code};
pub use details::{FollowUp, Found, Held, JobDetails, Measured, Note, Particulars, Repair, RigStep, Shown, StopCalled, TakenReading};
pub use entry::{Body, Entry, Happened};
pub use find::{Similar, found, similar};
pub use foreman::{ForemanRequest, ask_foreman, foreman_request, foreman_requests, requests_of_job, settle_request};
pub use learn::{Before, Learnt, before, learnt};
pub use ledger::{Write, Written, chain, changed_words, was_repaired, write, write_and_load};
pub use link::{
    Answer, Answered, CustomerQuestion, Link, LinkState, Proposal, answer_link, link_of, links, make_link, questions, questions_of,
    revoke_link,
};
pub use note::{EngineNote, engine_notes};
pub use notices::{Notice, NoticeKind, notices};
pub use opening::{Opening, open};
pub use photo::{Photo, add_photo, photo, photos};
pub use ranges::Refused;
pub use removal::{names_customer, remove_customer};
pub use retention::{keep_months, months_kept, past_keeping};
pub use scene::{Given, Help, Scene, SceneBegun, Suspects};
pub use summary::{Judged, judged, rebuild, resummarise, retell};

pub(crate) use ledger::digest;

use crate::entity::{engine, entry as entry_table, job, record, sheet, summary as summary_table, user, vehicle};
use crate::library::{self, Engine, Gauge, Vehicle};
use crate::zone::Zone;
use crate::{Connection, StoreError, Viewer, from_json};
use chrono::NaiveDateTime;
use sea_orm::sea_query::SimpleExpr;
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::{HashMap, HashSet};
use uuid::Uuid;
use velvet_dial_core::experience::{KnownPattern, Memory, same_family};
use velvet_dial_core::limits::{self, Sheet};
use velvet_dial_core::opened::Promise;
use velvet_dial_core::record::Record;

/// A job's first page: who, what, when.
#[derive(Debug, Clone, PartialEq, Default)]
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
    /// Who opened it.
    pub opened_by: Uuid,
    /// When it was closed, UTC.
    pub closed_at: Option<NaiveDateTime>,
    /// It is a scene of the practice bench.
    pub scene: Option<Scene>,
}

/// A whole job.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// First page.
    pub head: Head,
    /// The engine with all its sheets.
    pub engine: Engine,
    /// What is known of the engine's family.
    pub known_patterns: Vec<KnownPattern>,
    /// What the shop's own closed jobs of the family were; whoever loads a job to judge it puts it here, where the shop learns.
    pub memory: Option<Memory>,
    /// The gauges of the shop.
    pub gauges: Vec<Gauge>,
    /// Every entry ever made, oldest first.
    pub entries: Vec<Entry>,
    /// The clock of its shop.
    pub zone: Zone,
    /// What its closing stood on; engine and gauges are then those of the record, whatever the library says by now.
    pub record: Option<Record>,
    /// The last entry whose verdict and leader the board knows.
    pub judged_seq: Option<i32>,
}

impl Job {
    /// The sheet in force on the day the job was opened.
    pub fn sheet(&self) -> Option<&Sheet> {
        limits::in_force(&self.engine.sheets, self.zone.day(self.head.opened_at))
    }

    /// The same job as it was when `seq` was its last entry.
    pub fn until(&self, seq: i32) -> Self {
        let mut then = self.clone();
        then.entries.retain(|entry| entry.seq <= seq);
        then
    }

    /// Entries that hold: not superseded, not withdrawn.
    pub fn live(&self) -> impl Iterator<Item = &Entry> {
        let gone: HashSet<Uuid> = self.entries.iter().filter_map(|entry| entry.supersedes).collect();
        let holds = |entry: &&Entry| !matches!(entry.body, Body::Withdrawn { .. } | Body::Reopened { .. });
        self.entries.iter().filter(holds).filter(move |entry| !gone.contains(&entry.id))
    }

    /// The entry that supersedes another.
    pub fn heir(&self, id: Uuid) -> Option<&Entry> {
        self.entries.iter().find(|entry| entry.supersedes == Some(id))
    }

    /// What an entry has become: itself, or the last correction of it.
    pub fn latest(&self, id: Uuid) -> Option<&Entry> {
        let mut latest = self.entries.iter().find(|entry| entry.id == id)?;
        while let Some(heir) = self.heir(latest.id) {
            latest = heir;
        }
        Some(latest)
    }

    /// Number of the last entry; 0 in an empty ledger.
    pub fn seq(&self) -> i32 {
        self.entries.last().map_or(0, |entry| entry.seq)
    }

    /// The repairs that hold, in the order they were written.
    pub fn repairs(&self) -> impl Iterator<Item = &Repair> {
        self.live().filter_map(|entry| if let Body::Repair(repair) = &entry.body { Some(repair) } else { None })
    }

    /// The repair that holds, the last one where there are several.
    pub fn repair(&self) -> Option<&Repair> {
        self.repairs().last()
    }

    /// The promise of the hand-over that holds, with its entry.
    pub fn promise(&self) -> Option<(&Promise, Uuid)> {
        self.live().find_map(|entry| if let Body::Promised { promise } = &entry.body { Some((promise, entry.id)) } else { None })
    }

    /// The number of the job before, where the vehicle came back with the same.
    pub fn back_after(&self) -> Option<i64> {
        self.live().find_map(|entry| if let Body::Comeback { of, same: true } = entry.body { Some(of) } else { None })
    }

    /// The customer, the odometer and who is on it, as they were last said.
    pub fn particulars(&self) -> Particulars {
        let said = self.live().find_map(|entry| if let Body::Particulars(said) = &entry.body { Some(said.clone()) } else { None });
        said.unwrap_or_default()
    }

    /// True once the job was closed.
    pub fn closed(&self) -> bool {
        self.closing().is_some()
    }

    /// The closing that holds.
    pub fn closing(&self) -> Option<&Entry> {
        self.live().find(|entry| matches!(entry.body, Body::Closed { .. }))
    }
}

/// A whole job of the shop by its number.
pub async fn load(db: &Connection, viewer: &Viewer, number: i64) -> Result<Job, StoreError> {
    whole(db, viewer, job::Column::Number.eq(number)).await?.pop().ok_or(StoreError::NotFound)
}

/// The numbers of all jobs of the shop.
pub async fn numbers(db: &Connection, viewer: &Viewer) -> Result<Vec<i64>, StoreError> {
    let all = job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).order_by_asc(job::Column::Number);
    Ok(all.select_only().column(job::Column::Number).into_tuple().all(db).await?)
}

/// Open jobs of an engine that are looked at together.
const OPEN_ON: u64 = 200;

/// The open jobs on an engine, the newest first.
pub async fn open_on(db: &Connection, viewer: &Viewer, engine: Uuid) -> Result<Vec<Job>, StoreError> {
    let open = job::Entity::find()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::EngineId.eq(engine))
        .filter(job::Column::ClosedAt.is_null())
        .order_by_desc(job::Column::Number)
        .limit(OPEN_ON);
    let ids: Vec<Uuid> = open.select_only().column(job::Column::Id).into_tuple().all(db).await?;
    whole(db, viewer, job::Column::Id.is_in(ids)).await
}

/// Those jobs of the shop with all that belongs to them, by number, in a fixed number of queries.
async fn whole(db: &impl ConnectionTrait, viewer: &Viewer, which: SimpleExpr) -> Result<Vec<Job>, StoreError> {
    let rows = job::Entity::load()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(which)
        .order_by_asc(job::Column::Number)
        .with(vehicle::Entity)
        .with(summary_table::Entity)
        .with((engine::Entity, sheet::Entity))
        .with((entry_table::Entity, user::Entity))
        .all(db)
        .await?;
    let gauges = library::gauges(db, viewer).await?;
    let mut records = records(db, rows.iter().filter(|row| row.closed_at.is_some()).map(|row| row.id)).await?;
    let mut jobs: Vec<Job> = rows
        .into_iter()
        .map(|row| {
            let record = records.remove(&row.id);
            one(viewer, row, gauges.clone(), record)
        })
        .collect::<Result<_, _>>()?;
    let of_a_family = |job: &&mut Job| job.record.is_none() && job.engine.card.family.is_some();
    if jobs.iter_mut().any(|job| of_a_family(&job)) {
        let known = library::standing_of_all(db, viewer).await?;
        for job in jobs.iter_mut().filter(of_a_family) {
            let own = |family: &String| job.engine.card.family.as_ref().is_some_and(|own| same_family(own, family));
            job.known_patterns = known.iter().filter(|(family, _)| own(family)).map(|(_, known)| known.clone()).collect();
        }
    }
    Ok(jobs)
}

fn one(viewer: &Viewer, mut row: job::ModelEx, gauges: Vec<Gauge>, records: Option<HashMap<Uuid, String>>) -> Result<Job, StoreError> {
    let begun = (row.scene_seed, row.scene_grade);
    let scene = Scene::of_row(begun, row.scene_given.as_deref(), row.scene_task, row.scene_ended_at, row.scene_result.take());
    let vehicle = library::of_row(row.vehicle.into_option().ok_or(StoreError::NotFound)?.into());
    let engine = library::of_engine(row.engine.into_option().ok_or(StoreError::NotFound)?)?;
    let mut entries: Vec<Entry> = row.entries.into_iter().map(Entry::of_row).collect();
    entries.sort_by_key(|entry| entry.seq);
    entry::times(&mut entries);
    let head = Head {
        id: row.id,
        number: row.number,
        vehicle,
        engine: row.engine_id,
        complaint: row.complaint,
        opened_at: row.opened_at,
        opened_by: row.opened_by,
        closed_at: row.closed_at,
        scene,
    };
    let zone = viewer.zone.clone();
    let judged_seq = row.summary.take().and_then(|summary| summary.judged_seq);
    let mut job = Job { head, engine, known_patterns: Vec::new(), memory: None, gauges, entries, zone, record: None, judged_seq };
    let kept = job.closing().zip(records).and_then(|(closing, mut records)| records.remove(&closing.id));
    if let Some(text) = kept {
        job.stand_on(from_json("record", &text)?);
    }
    Ok(job)
}

impl Job {
    /// Puts what its closing stood on in the place of what the library says by now.
    fn stand_on(&mut self, mut record: Record) {
        record.put_back_personal();
        let key = |name: &str| self.gauges.iter().find(|gauge| gauge.name == name).map_or(Uuid::nil(), |gauge| gauge.id);
        let gauges = record.case.instruments.iter().map(|(name, gauge)| Gauge { id: key(name), name: name.clone(), gauge: gauge.clone() });
        self.gauges = gauges.collect();
        self.engine.name.clone_from(&record.papers.engine);
        self.engine.card = record.case.engine.clone();
        self.known_patterns.clone_from(&record.case.known_patterns);
        self.memory.clone_from(&record.case.memory);
        self.engine.sheets = record.other_sheets.iter().chain(&record.case.spec).cloned().collect();
        self.record = Some(record);
    }
}

/// What the closings of some jobs stood on, by job and closing.
async fn records(
    db: &impl ConnectionTrait,
    jobs: impl IntoIterator<Item = Uuid>,
) -> Result<HashMap<Uuid, HashMap<Uuid, String>>, StoreError> {
    let mut of_job: HashMap<Uuid, HashMap<Uuid, String>> = HashMap::new();
    for row in record::Entity::find().filter(record::Column::JobId.is_in(jobs)).all(db).await? {
        of_job.entry(row.job_id).or_default().insert(row.entry_id, row.body);
    }
    Ok(of_job)
}

/// The record of the closing that holds, as it is kept; none of an open job.
pub async fn kept_record(db: &Connection, job: &Job) -> Result<Option<String>, StoreError> {
    let Some(closing) = job.closing() else { return Ok(None) };
    Ok(record::Entity::find_by_id(closing.id).one(db).await?.map(|row| row.body))
}

pub(crate) async fn own_job(db: &impl ConnectionTrait, viewer: &Viewer, number: i64) -> Result<job::Model, StoreError> {
    job::Entity::find()
        .filter(job::Column::Number.eq(number))
        .filter(job::Column::ShopId.eq(viewer.shop))
        .one(db)
        .await?
        .ok_or(StoreError::NotFound)
}
