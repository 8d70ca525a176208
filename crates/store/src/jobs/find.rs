//! Jobs found by words, and closed jobs that are like one.
//!
//! What a job is found by stands in a table of its own under the database's full-text index, and follows the ledger in the transaction of every entry. The index knows words of three
//! letters and more; a plate or a job's number is found by its beginning as well.
use super::board::{Row, Sieve, rows};
use super::{Body, Entry, Found, Job};
use crate::entity::{job, search_index as table, vehicle};
use crate::{Connection, StoreError, Viewer};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, OnConflict, Query, SimpleExpr};
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait};
use uuid::Uuid;
use velvet_dial_core::knowledge::knowledge;

/// Jobs shown of a search.
const SHOWN: u64 = 60;
/// The newest jobs that are looked through word by word.
const NEWEST: u64 = 2000;
/// Words of a search that are looked at.
const MOST_WORDS: usize = 8;
/// The full-text index knows words of so many letters and more.
const SHORTEST: usize = 3;

/// What a job is found by.
fn words(job: &Job) -> String {
    let know = knowledge();
    let mut said =
        vec![job.head.vehicle.tag.clone(), job.head.vehicle.description.clone(), job.engine.name.clone(), job.head.complaint.clone()];
    for entry in job.live() {
        match &entry.body {
            Body::Circumstance { circumstance, told: true } => said.extend(know.circumstance(circumstance).map(|told| told.label.clone())),
            Body::Evidence { check, .. } => {
                let found = entry.body.outcomes().filter_map(|outcome| know.found(check, outcome));
                said.extend(found.map(|(check, outcome)| format!("{}: {}", check.ask, outcome.label)));
            }
            Body::Particulars(told) => said.push(told.customer.clone()),
            Body::Repair(repair) => {
                let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|index| know.causes.get(index));
                said.extend(cause.map(|cause| cause.name.clone()));
                said.push(repair.done.clone());
            }
            Body::Photo(shown) => said.push(shown.words.clone()),
            Body::Note(note) => said.push(note.words.clone()),
            _ => {}
        }
    }
    said.retain(|words| !words.is_empty());
    said.join("\n")
}

/// Writes what some jobs are found by.
pub(super) async fn follow(db: &impl ConnectionTrait, viewer: &Viewer, jobs: &[Job]) -> Result<(), StoreError> {
    come_backs(db, viewer, jobs).await?;
    // Most entries say nothing that a job is found by: then the index is left alone.
    let stands = table::Entity::find().filter(table::Column::JobId.is_in(jobs.iter().map(|job| job.head.id))).all(db).await?;
    let wanted = jobs.iter().map(|job| {
        let found = job.found();
        table::Model {
            job_id: job.head.id,
            shop_id: viewer.shop,
            engine_id: job.head.engine,
            words: words(job),
            cause: found.as_ref().and_then(|found| found.cause.clone()),
            took_min: found.as_ref().and_then(|found| found.took_min),
            planned_min: found.as_ref().and_then(|found| found.planned_min),
            // Another job says that.
            came_back: stands.iter().find(|row| row.job_id == job.head.id).and_then(|row| row.came_back),
        }
    });
    let rows: Vec<table::ActiveModel> =
        wanted.filter(|wanted| !stands.contains(wanted)).map(table::ActiveModel::from).map(ActiveModelTrait::reset_all).collect();
    if rows.is_empty() {
        return Ok(());
    }
    let changed = OnConflict::column(table::Column::JobId)
        .update_columns([
            table::Column::EngineId,
            table::Column::Words,
            table::Column::Cause,
            table::Column::TookMin,
            table::Column::PlannedMin,
        ])
        .to_owned();
    table::Entity::insert_many(rows).on_conflict(changed).exec_without_returning(db).await?;
    Ok(())
}

/// Notes with the jobs before whether their vehicle came back with the same.
async fn come_backs(db: &impl ConnectionTrait, viewer: &Viewer, jobs: &[Job]) -> Result<(), StoreError> {
    for job in jobs {
        let said = |entry: &Entry| if let Body::Comeback { of, same } = entry.body { Some((of, same)) } else { None };
        for (of, _) in job.entries.iter().filter_map(said) {
            let same = job.live().filter_map(said).any(|(number, same)| number == of && same);
            let before = job::Entity::find().filter(job::Column::Number.eq(of)).filter(job::Column::ShopId.eq(viewer.shop));
            let before = before.select_only().column(job::Column::Id).into_query();
            let noted = table::Entity::update_many().set(table::ActiveModel { came_back: Set(Some(same)), ..Default::default() });
            noted.filter(table::Column::JobId.in_subquery(before)).exec(db).await?;
        }
    }
    Ok(())
}

impl Job {
    /// What it turned out to be, once it is closed and somebody knows it: what is supposed, or left open, is learnt by nobody.
    fn found(&self) -> Option<Found> {
        let Body::Closed { found } = &self.closing()?.body else { return None };
        match found.known {
            Some(known) if known.counts() => Some(found.clone()),
            _ => Some(Found { cause: None, ..found.clone() }),
        }
    }
}

/// The words of a search that the index knows.
fn looked_for(typed: &str) -> Vec<&str> {
    let words = typed.split(|letter: char| !letter.is_alphanumeric()).filter(|word| word.chars().count() >= SHORTEST);
    words.take(MOST_WORDS).collect()
}

/// Jobs in which every word stands, the newest first. A common word is found soon among the newest, where the index would have to be read from end to end; what the newest do not
/// hold is looked for in the index, which is quick where few do.
async fn in_words(db: &Connection, viewer: &Viewer, words: &[&str]) -> Result<Vec<Uuid>, StoreError> {
    let own = || table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop)).select_only().column(table::Column::JobId);
    // Keys are made in the order of time.
    let newest = || own().order_by_desc(table::Column::JobId);
    let edge: Option<Uuid> = newest().offset(NEWEST).limit(1).into_tuple().one(db).await?;
    let mut near = newest().limit(SHOWN);
    for word in words {
        near = near.filter(table::Column::Words.contains(*word));
    }
    let near = if let Some(edge) = edge { near.filter(table::Column::JobId.gt(edge)) } else { near };
    let mut ids: Vec<Uuid> = near.into_tuple().all(db).await?;
    let left = SHOWN - ids.len() as u64;
    if let Some(edge) = edge.filter(|_| left > 0) {
        let all = words.iter().map(|word| format!("+{word}*")).collect::<Vec<_>>().join(" ");
        let far = newest().filter(table::Column::JobId.lte(edge)).filter(matches(&all)).limit(left);
        ids.extend(far.into_tuple::<Uuid>().all(db).await?);
    }
    Ok(ids)
}

fn matches(asked: &str) -> SimpleExpr {
    Expr::cust_with_values("MATCH (words) AGAINST (? IN BOOLEAN MODE)", [asked.to_owned()])
}

/// Jobs of the shop in which every word stands, the newest first; a number finds its job, and a plate is found by its beginning.
///
/// A sieve lets through what a board would show by it, closed jobs too.
pub async fn found(db: &Connection, viewer: &Viewer, typed: &str, sieve: &Sieve) -> Result<Vec<Row>, StoreError> {
    let typed = typed.trim();
    if typed.is_empty() {
        return Ok(Vec::new());
    }
    let own = || job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).select_only().column(job::Column::Id);
    let of_number = async {
        let Ok(number) = typed.trim_start_matches("job ").parse::<i64>() else { return Ok(Vec::new()) };
        Ok(own().filter(job::Column::Number.eq(number)).into_tuple::<Uuid>().all(db).await?)
    };
    let of_plate = async {
        let begins = typed.replace(['%', '_', '\\'], "");
        if begins.is_empty() {
            return Ok(Vec::new());
        }
        let tags = Query::select()
            .column(vehicle::Column::Id)
            .from(vehicle::Entity)
            .and_where(vehicle::Column::ShopId.eq(viewer.shop))
            .and_where(vehicle::Column::Tag.like(format!("{begins}%")))
            .to_owned();
        let of_tag = own().filter(job::Column::VehicleId.in_subquery(tags)).order_by_desc(job::Column::Number).limit(SHOWN);
        Ok(of_tag.into_tuple::<Uuid>().all(db).await?)
    };
    let words = looked_for(typed);
    let of_words = async { if words.is_empty() { Ok(Vec::new()) } else { in_words(db, viewer, &words).await } };
    let (mut ids, plates, said): (Vec<Uuid>, Vec<Uuid>, Vec<Uuid>) = tokio::try_join!(of_number, of_plate, of_words)?;
    ids.extend(plates);
    ids.extend(said);
    if *sieve != Sieve::default() && !ids.is_empty() {
        let through = own().filter(job::Column::Id.is_in(ids.iter().copied())).filter(job::Column::Id.in_subquery(sieve.keys(viewer)));
        ids = through.into_tuple::<Uuid>().all(db).await?;
    }
    rows(db, &ids).await
}

/// A closed job that is like another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Similar {
    /// Its number.
    pub number: i64,
    /// What was said.
    pub complaint: String,
    /// What it turned out to be, by its word.
    pub cause: String,
    /// On the same engine.
    pub same_engine: bool,
}

/// Closed jobs told of one, and the newest of other engines that are looked through for like words.
const SIMILAR: u64 = 5;
const LOOKED_THROUGH: u64 = 200;

/// Closed jobs of the shop that were put right on a cause of the list: on the same engine, then those with like words.
pub async fn similar(db: &Connection, viewer: &Viewer, job: &Job) -> Result<Vec<Similar>, StoreError> {
    let known = || {
        table::Entity::find()
            .filter(table::Column::ShopId.eq(viewer.shop))
            .filter(table::Column::Cause.is_not_null())
            .filter(table::Column::JobId.ne(job.head.id))
            .find_also_related(job::Entity)
    };
    let mut found =
        known().filter(table::Column::EngineId.eq(job.head.engine)).order_by_desc(table::Column::JobId).limit(SIMILAR).all(db).await?;
    let said: Vec<String> = job.head.complaint.split(|letter: char| !letter.is_alphanumeric()).map(str::to_lowercase).collect();
    let said: Vec<&String> = said.iter().filter(|word| word.chars().count() > SHORTEST).collect();
    let room = SIMILAR as usize - found.len();
    if room > 0 && !said.is_empty() {
        let others = known().filter(table::Column::EngineId.ne(job.head.engine)).order_by_desc(table::Column::JobId).limit(LOOKED_THROUGH);
        let shared = |of: &Option<job::Model>| {
            let complaint = of.as_ref().map_or_else(String::new, |of| of.complaint.to_lowercase());
            said.iter().filter(|word| complaint.contains(word.as_str())).count()
        };
        let mut others: Vec<_> =
            others.all(db).await?.into_iter().map(|(row, of)| (shared(&of), row, of)).filter(|(shared, ..)| *shared > 0).collect();
        others.sort_by_key(|(shared, ..)| std::cmp::Reverse(*shared));
        found.extend(others.into_iter().take(room).map(|(_, row, of)| (row, of)));
    }
    let one = |(row, of): (table::Model, Option<job::Model>)| {
        let of = of?;
        Some(Similar { number: of.number, complaint: of.complaint, cause: row.cause?, same_engine: row.engine_id == job.head.engine })
    };
    Ok(found.into_iter().filter_map(one).collect())
}
