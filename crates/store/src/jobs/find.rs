//! Jobs found by words, and closed jobs that are like one.
//!
//! What a job is found by stands in a table of its own under the database's full-text index, and follows the ledger in the transaction of every entry. The index knows words of three
//! letters and more; a plate or a job's number is found by its beginning as well.
use super::board::{Row, rows};
use super::{Body, Job};
use crate::entity::{finder as table, job, vehicle};
use crate::{Connection, StoreError, Viewer};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, OnConflict, Query, SimpleExpr};
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use uuid::Uuid;
use velvet_dial_core::trace::knowledge::knowledge;

/// Jobs shown of a search.
const SHOWN: u64 = 60;
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
            Body::Evidence { check, outcome } => {
                let found = know.check(check).and_then(|check| Some((check, check.outcomes.get(check.outcome(outcome)?)?)));
                said.extend(found.map(|(check, outcome)| format!("{}: {}", check.ask, outcome.label)));
            }
            Body::Particulars(told) => said.push(told.customer.clone()),
            Body::Repair(repair) => {
                let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|index| know.causes.get(index));
                said.extend(cause.map(|cause| cause.name.clone()));
                said.push(repair.done.clone());
            }
            Body::Photo(shown) => said.push(shown.words.clone()),
            _ => {}
        }
    }
    said.retain(|words| !words.is_empty());
    said.join("\n")
}

/// Writes what some jobs are found by.
pub(super) async fn follow(db: &impl ConnectionTrait, viewer: &Viewer, jobs: &[Job]) -> Result<(), StoreError> {
    let row = |job: &Job| table::ActiveModel {
        job_id: Set(job.head.id),
        shop_id: Set(viewer.shop),
        engine_id: Set(job.head.engine),
        words: Set(words(job)),
        cause: Set(job.repair().filter(|_| job.closed()).and_then(|repair| repair.cause.clone())),
    };
    let changed = OnConflict::column(table::Column::JobId)
        .update_columns([table::Column::EngineId, table::Column::Words, table::Column::Cause])
        .to_owned();
    table::Entity::insert_many(jobs.iter().map(row)).on_conflict(changed).exec_without_returning(db).await?;
    Ok(())
}

/// Every word, each as a beginning.
fn every_word(typed: &str) -> String {
    let words = typed.split(|letter: char| !letter.is_alphanumeric()).filter(|word| word.chars().count() >= SHORTEST);
    words.take(MOST_WORDS).map(|word| format!("+{word}*")).collect::<Vec<_>>().join(" ")
}

fn matches(asked: &str) -> SimpleExpr {
    Expr::cust_with_values("MATCH (words) AGAINST (? IN BOOLEAN MODE)", [asked.to_owned()])
}

/// Jobs of the shop in which every word stands, the newest first; a number finds its job, and a plate is found by its beginning.
pub async fn found(db: &Connection, viewer: &Viewer, typed: &str) -> Result<Vec<Row>, StoreError> {
    let typed = typed.trim();
    if typed.is_empty() {
        return Ok(Vec::new());
    }
    let own = || job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).select_only().column(job::Column::Id);
    let mut ids: Vec<Uuid> = Vec::new();
    if let Ok(number) = typed.trim_start_matches("job ").parse::<i64>() {
        ids.extend(own().filter(job::Column::Number.eq(number)).into_tuple::<Uuid>().all(db).await?);
    }
    let begins = format!("{}%", typed.replace(['%', '_', '\\'], ""));
    let tags = Query::select()
        .column(vehicle::Column::Id)
        .from(vehicle::Entity)
        .and_where(vehicle::Column::ShopId.eq(viewer.shop))
        .and_where(vehicle::Column::Tag.like(&begins))
        .to_owned();
    if begins.len() > 1 {
        let of_tag = own().filter(job::Column::VehicleId.in_subquery(tags)).order_by_desc(job::Column::Number).limit(SHOWN);
        ids.extend(of_tag.into_tuple::<Uuid>().all(db).await?);
    }
    let asked = every_word(typed);
    if !asked.is_empty() {
        let in_words = table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop)).filter(matches(&asked));
        // Keys are made in the order of time.
        let in_words = in_words.select_only().column(table::Column::JobId).order_by_desc(table::Column::JobId).limit(SHOWN);
        ids.extend(in_words.into_tuple::<Uuid>().all(db).await?);
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

/// Closed jobs told of one.
const SIMILAR: u64 = 5;

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
    let asked: Vec<String> = job
        .head
        .complaint
        .split(|letter: char| !letter.is_alphanumeric())
        .filter(|word| word.chars().count() > SHORTEST)
        .take(MOST_WORDS)
        .map(str::to_owned)
        .collect();
    if found.len() < SIMILAR as usize && !asked.is_empty() {
        // Any of the words, those in which most of them stand first.
        let like = matches(&asked.join(" "));
        let more = known().filter(table::Column::EngineId.ne(job.head.engine)).filter(like.clone());
        found.extend(more.order_by_desc(like).limit(SIMILAR - found.len() as u64).all(db).await?);
    }
    let one = |(row, of): (table::Model, Option<job::Model>)| {
        let of = of?;
        Some(Similar { number: of.number, complaint: of.complaint, cause: row.cause?, same_engine: row.engine_id == job.head.engine })
    };
    Ok(found.into_iter().filter_map(one).collect())
}
