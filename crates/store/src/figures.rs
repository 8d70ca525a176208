//! Figures of the shop: what each closed job came to, and what waits.
//!
//! What was said of a job before its engine was opened is worked out once after each closing, by whoever serves, and kept here.
use crate::entity::{job, outcome as table, search_index, user};
use crate::{Connection, StoreError, Viewer, accounts, now};
use chrono::{Duration, NaiveDateTime};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait, OnConflict, Query};
use sea_orm::{ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::HashSet;
use uuid::Uuid;

/// What a closed job came to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Outcome {
    /// The engine's family, or its name where it has none.
    pub family: String,
    /// The cause.
    pub cause: Option<String>,
    /// How that is known, by its word.
    pub known: Option<String>,
    /// The cause that led before the engine was opened, and its probability.
    pub said: Option<(String, f64)>,
    /// The probability then of what it turned out to be.
    pub cause_probability: Option<f64>,
    /// Minutes it took, and that were planned.
    pub took_min: Option<f64>,
    /// See [`Self::took_min`].
    pub planned_min: Option<f64>,
    /// What was fitted or repaired in vain, a word each.
    pub in_vain: Vec<String>,
}

/// A closed job with what it came to.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// The job's number.
    pub number: i64,
    /// When it was closed, UTC.
    pub closed_at: NaiveDateTime,
    /// The vehicle came back with the same fault.
    pub came_back: bool,
    /// What it came to.
    pub outcome: Outcome,
}

/// A closed job whose outcome nobody has worked out: a viewer of its shop, its number, its key, and when it was closed.
pub async fn next_missing(db: &Connection) -> Result<Option<(Viewer, i64, Uuid, NaiveDateTime)>, StoreError> {
    let known = Query::select()
        .column(table::Column::JobId)
        .from(table::Entity)
        .and_where(Expr::col((table::Entity, table::Column::JobId)).equals((job::Entity, job::Column::Id)))
        .and_where(Expr::col((table::Entity, table::Column::ClosedAt)).equals((job::Entity, job::Column::ClosedAt)))
        .to_owned();
    let next = job::Entity::find()
        .filter(job::Column::ClosedAt.is_not_null())
        .filter(job::Column::SceneSeed.is_null())
        .filter(Expr::exists(known).not())
        .order_by_desc(job::Column::Number)
        .one(db)
        .await?;
    let Some((job, closed_at)) = next.and_then(|job| job.closed_at.map(|at| (job, at))) else { return Ok(None) };
    let viewer = accounts::viewer_where(db, user::Column::Id.eq(job.opened_by)).await?.ok_or(StoreError::NotFound)?;
    Ok(Some((Viewer { shop: job.shop_id, ..viewer }, job.number, job.id, closed_at)))
}

/// Keeps what a job came to; of several servers that worked it out, the last one's stays, which is the same.
pub async fn keep(db: &Connection, shop: Uuid, (job, closed_at): (Uuid, NaiveDateTime), outcome: &Outcome) -> Result<(), StoreError> {
    let (said_cause, said_probability) = outcome.said.clone().unzip();
    let row = table::ActiveModel {
        job_id: Set(job),
        shop_id: Set(shop),
        closed_at: Set(closed_at),
        family: Set(outcome.family.chars().take(200).collect()),
        cause: Set(outcome.cause.clone()),
        known: Set(outcome.known.clone()),
        said_cause: Set(said_cause),
        said_probability: Set(said_probability),
        cause_probability: Set(outcome.cause_probability),
        took_min: Set(outcome.took_min),
        planned_min: Set(outcome.planned_min),
        in_vain: Set(outcome.in_vain.join(" ")),
    };
    use table::Column::{CauseProbability, ClosedAt, Family, InVain, Known, PlannedMin, SaidCause, SaidProbability, TookMin};
    let changed =
        [ClosedAt, Family, table::Column::Cause, Known, SaidCause, SaidProbability, CauseProbability, TookMin, PlannedMin, InVain];
    let again = OnConflict::column(table::Column::JobId).update_columns(changed).to_owned();
    table::Entity::insert(row).on_conflict(again).exec_without_returning(db).await?;
    Ok(())
}

/// The closed jobs since a moment, the newest first, as far as they are worked out; and how many were closed in all.
pub async fn closed(db: &Connection, viewer: &Viewer, since: Option<NaiveDateTime>) -> Result<(Vec<Row>, u64), StoreError> {
    let mut own = table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop));
    let mut all = job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).filter(job::Column::ClosedAt.is_not_null());
    if let Some(since) = since {
        own = own.filter(table::Column::ClosedAt.gte(since));
        all = all.filter(job::Column::ClosedAt.gte(since));
    }
    let rows = own.order_by_desc(table::Column::ClosedAt).find_also_related(job::Entity);
    let back = search_index::Entity::find()
        .filter(search_index::Column::ShopId.eq(viewer.shop))
        .filter(search_index::Column::CameBack.eq(true))
        .select_only()
        .column(search_index::Column::JobId)
        .into_tuple::<Uuid>();
    let (rows, all, back) = tokio::try_join!(rows.all(db), all.count(db), back.all(db))?;
    let back: HashSet<Uuid> = back.into_iter().collect();
    // One that was opened again is no closed job.
    let of = |(row, job): (table::Model, Option<job::Model>)| {
        let job = job.filter(|job| job.closed_at == Some(row.closed_at))?;
        Some(Row {
            number: job.number,
            closed_at: row.closed_at,
            came_back: back.contains(&row.job_id),
            outcome: Outcome {
                family: row.family,
                cause: row.cause,
                known: row.known,
                said: row.said_cause.zip(row.said_probability),
                cause_probability: row.cause_probability,
                took_min: row.took_min,
                planned_min: row.planned_min,
                in_vain: row.in_vain.split_whitespace().map(str::to_owned).collect(),
            },
        })
    };
    Ok((rows.into_iter().filter_map(of).collect(), all))
}

/// Jobs that wait, by what for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Waiting {
    /// Open ones.
    pub open: u64,
    /// The customer has not answered.
    pub for_customer: u64,
    /// Something waits for a foreman.
    pub for_foreman: u64,
    /// Nothing was written for so many days.
    pub untouched: u64,
}

/// Days without an entry after which a job counts as untouched.
pub const UNTOUCHED_DAYS: i64 = 3;

/// What waits in the viewer's shop.
pub async fn waiting(db: &Connection, viewer: &Viewer) -> Result<Waiting, StoreError> {
    use crate::jobs::{self, Sieve, Waits};
    let customers = Sieve { waits: Some(Waits::ForCustomer), ..Sieve::default() };
    let untouched = Sieve { untouched_since: Some(now() - Duration::days(UNTOUCHED_DAYS)), ..Sieve::default() };
    let (open, for_customer, asked, untouched) = tokio::try_join!(
        jobs::all_open(db, viewer),
        jobs::open_within(db, viewer, &customers),
        jobs::foreman_requests(db, viewer),
        jobs::open_within(db, viewer, &untouched),
    )?;
    Ok(Waiting { open, for_customer, for_foreman: asked.len() as u64, untouched })
}
