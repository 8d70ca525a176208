//! The board, from the summaries: a fixed number of queries however many jobs there are.
use super::summary::{behind, make_good};
use super::{Body, Entry, own_job};
use crate::entity::{customer_link, entry, job, summary, user, vehicle};
use crate::{Connection, StoreError, Viewer, now};
use chrono::NaiveDateTime;
use sea_orm::sea_query::{Query, SelectStatement};
use sea_orm::{ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait, Select};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::flag::Word;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::stage::Stage;

/// What a board shows: a page of the open jobs and the newest closed ones.
#[derive(Debug, Clone, PartialEq)]
pub struct Board {
    /// Open jobs of the page, newest first.
    pub open: Vec<Row>,
    /// How many are open in all.
    pub all_open: u64,
    /// The newest closed ones.
    pub closed: Vec<Row>,
}

/// A job on a board.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// The number people say.
    pub number: i64,
    /// Plate or fleet number.
    pub tag: String,
    /// What the vehicle is.
    pub description: String,
    /// What the customer said.
    pub complaint: String,
    /// Where it is.
    pub stage: Stage,
    /// May it run.
    pub flag: Word,
    /// Against the sheet; none while nobody has looked since the last entry.
    pub verdict: Option<Decision>,
    /// The cause that leads and its odds; none while nobody has looked since the last entry.
    pub leader: Option<(String, f64)>,
    /// Who is on it.
    pub on_it: Option<String>,
    /// It came back with the same as this job before.
    pub back_after: Option<i64>,
    /// What was written last; none in an empty ledger.
    pub last: Option<Body>,
    /// Who wrote it.
    pub last_by: String,
    /// When, or when the job was opened, UTC.
    pub last_at: NaiveDateTime,
    /// The engine's key.
    pub engine: Uuid,
    /// When it was opened, UTC.
    pub opened_at: NaiveDateTime,
    /// When it was closed, UTC.
    pub closed_at: Option<NaiveDateTime>,
}

/// Closed jobs on a board.
const CLOSED_SHOWN: u64 = 30;

/// Which open jobs a board shows; all where nothing is said.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sieve {
    /// At this stage.
    pub stage: Option<Stage>,
    /// Under this word.
    pub flag: Option<Word>,
    /// This person is on it.
    pub who: Option<String>,
    /// Nothing was written since, UTC.
    pub untouched_since: Option<NaiveDateTime>,
    /// What it waits for.
    pub waits: Option<Waits>,
}

/// Why somebody looks for a job on the board.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Waits {
    /// The vehicle came back with the same fault.
    CameBack,
    /// A link was sent to the customer, and they have not answered.
    ForCustomer,
    /// A hand-over was promised.
    Promised,
}

impl Sieve {
    /// Keys of the jobs that it lets through.
    pub(super) fn keys(&self, viewer: &Viewer) -> SelectStatement {
        let mut keys = Query::select()
            .column(summary::Column::JobId)
            .from(summary::Entity)
            .and_where(summary::Column::ShopId.eq(viewer.shop))
            .to_owned();
        keys.and_where_option(self.stage.map(|stage| summary::Column::Stage.eq(stage.id())));
        keys.and_where_option(self.flag.map(|flag| summary::Column::Flag.eq(flag.id())));
        keys.and_where_option(self.who.as_ref().map(|who| summary::Column::OnIt.eq(who)));
        keys.and_where_option(self.untouched_since.map(|since| summary::Column::LastAt.lt(since)));
        keys.and_where_option(self.waits.map(|waits| match waits {
            Waits::CameBack => summary::Column::BackAfter.is_not_null(),
            Waits::ForCustomer => summary::Column::JobId.in_subquery(unanswered()),
            Waits::Promised => summary::Column::JobId.in_subquery(promised()),
        }));
        keys
    }
}

/// Jobs with a link to the customer that is open and not answered.
fn unanswered() -> SelectStatement {
    Query::select()
        .column(customer_link::Column::JobId)
        .from(customer_link::Entity)
        .and_where(customer_link::Column::AnsweredAt.is_null())
        .and_where(customer_link::Column::RevokedAt.is_null())
        .and_where(customer_link::Column::ExpiresAt.gt(now()))
        .to_owned()
}

/// Jobs with a promised hand-over.
fn promised() -> SelectStatement {
    Query::select().column(entry::Column::JobId).from(entry::Entity).and_where(entry::Column::Kind.eq("promised")).to_owned()
}

/// When something was last written in the shop, UTC; none where nothing was.
pub async fn last_written(db: &Connection, viewer: &Viewer) -> Result<Option<NaiveDateTime>, StoreError> {
    let last = summary::Entity::find().filter(summary::Column::ShopId.eq(viewer.shop)).select_only();
    Ok(last.column_as(summary::Column::LastAt.max(), "last").into_tuple::<Option<NaiveDateTime>>().one(db).await?.flatten())
}

/// How many jobs of the shop are open.
pub async fn all_open(db: &Connection, viewer: &Viewer) -> Result<u64, StoreError> {
    open_within(db, viewer, &Sieve::default()).await
}

/// How many of them a sieve lets through.
pub async fn open_within(db: &Connection, viewer: &Viewer, sieve: &Sieve) -> Result<u64, StoreError> {
    make_good_for(db, viewer, sieve).await?;
    let open = job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).filter(job::Column::ClosedAt.is_null());
    Ok(sieved(open, viewer, sieve).count(db).await?)
}

fn sieved(jobs: Select<job::Entity>, viewer: &Viewer, sieve: &Sieve) -> Select<job::Entity> {
    if *sieve == Sieve::default() { jobs } else { jobs.filter(job::Column::Id.in_subquery(sieve.keys(viewer))) }
}

/// A filter goes by the summaries: those that are known to be behind are made good before it looks.
async fn make_good_for(db: &Connection, viewer: &Viewer, sieve: &Sieve) -> Result<(), StoreError> {
    if *sieve == Sieve::default() { Ok(()) } else { make_good(db, viewer, &behind(db, viewer).await?).await }
}

/// The board of a shop: `page` counts from 0 and holds `size` open jobs.
pub async fn board(db: &Connection, viewer: &Viewer, sieve: &Sieve, page: u64, size: u64) -> Result<Board, StoreError> {
    let of_shop = || job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).order_by_desc(job::Column::Number);
    let is_open = || sieved(of_shop().filter(job::Column::ClosedAt.is_null()), viewer, sieve);
    make_good_for(db, viewer, sieve).await?;
    let keys = |select: Select<job::Entity>| select.select_only().column(job::Column::Id).into_tuple::<Uuid>().all(db);
    let (all_open, mut ids, closed) = tokio::try_join!(
        is_open().count(db),
        keys(is_open().offset(page.saturating_mul(size)).limit(size)),
        keys(sieved(of_shop().filter(job::Column::ClosedAt.is_not_null()), viewer, sieve).limit(CLOSED_SHOWN)),
    )?;
    ids.extend(closed);
    // What they are judged by was changed, or a server of before, beside this one, wrote entries without summaries: made good here.
    let stale = stale(db, &ids).await?;
    make_good(db, viewer, &stale).await?;
    let mut board = Board { open: Vec::new(), all_open, closed: Vec::new() };
    for (closed, row) in loaded(db, &ids).await? {
        if closed { board.closed.push(row) } else { board.open.push(row) }
    }
    Ok(board)
}

/// Which jobs a list has.
#[derive(Debug, Clone, Copy, Default)]
pub struct Listing {
    /// Open ones only, or closed ones only.
    pub closed: Option<bool>,
    /// Something was written since, UTC.
    pub changed_since: Option<NaiveDateTime>,
    /// Those that this user opened.
    pub opened_by: Option<Uuid>,
    /// Those with a higher number.
    pub after: i64,
    /// At most so many.
    pub limit: u64,
}

/// A page of a list, by number.
pub async fn listed(db: &Connection, viewer: &Viewer, listing: &Listing) -> Result<Vec<Row>, StoreError> {
    let mut own = job::Entity::find().filter(job::Column::ShopId.eq(viewer.shop)).filter(job::Column::Number.gt(listing.after));
    own = match listing.closed {
        Some(true) => own.filter(job::Column::ClosedAt.is_not_null()),
        Some(false) => own.filter(job::Column::ClosedAt.is_null()),
        None => own,
    };
    if let Some(user) = listing.opened_by {
        own = own.filter(job::Column::OpenedBy.eq(user));
    }
    if let Some(since) = listing.changed_since {
        let changed = summary::Entity::find().filter(summary::Column::ShopId.eq(viewer.shop)).filter(summary::Column::LastAt.gt(since));
        own = own.filter(job::Column::Id.in_subquery(changed.select_only().column(summary::Column::JobId).into_query()));
    }
    let page = own.order_by_asc(job::Column::Number).limit(listing.limit);
    let ids: Vec<Uuid> = page.select_only().column(job::Column::Id).into_tuple().all(db).await?;
    make_good(db, viewer, &stale(db, &ids).await?).await?;
    let mut rows = rows(db, &ids).await?;
    rows.reverse();
    Ok(rows)
}

/// A job of the shop as a board shows it.
pub async fn row(db: &Connection, viewer: &Viewer, number: i64) -> Result<Row, StoreError> {
    let job = own_job(db, viewer, number).await?;
    make_good(db, viewer, &stale(db, &[job.id]).await?).await?;
    rows(db, &[job.id]).await?.pop().ok_or(StoreError::NotFound)
}

/// Who opened a job of the shop.
pub async fn opened_by(db: &Connection, viewer: &Viewer, number: i64) -> Result<Uuid, StoreError> {
    Ok(own_job(db, viewer, number).await?.opened_by)
}

/// Some jobs as a board shows them, newest first.
pub(super) async fn rows(db: &Connection, ids: &[Uuid]) -> Result<Vec<Row>, StoreError> {
    Ok(loaded(db, ids).await?.into_iter().map(|(_, row)| row).collect())
}

/// The same, each with whether it is closed.
async fn loaded(db: &Connection, ids: &[Uuid]) -> Result<Vec<(bool, Row)>, StoreError> {
    let rows = job::Entity::load()
        .filter(job::Column::Id.is_in(ids.iter().copied()))
        .order_by_desc(job::Column::Number)
        .with(vehicle::Entity)
        .with(summary::Entity)
        .all(db)
        .await?;
    let last = rows.iter().filter_map(|row| row.summary.as_ref().and_then(|summary| summary.last_entry));
    let mut last = last_said(db, last).await?;
    Ok(rows.into_iter().filter_map(|row| Some((row.closed_at.is_some(), one(row, &mut last)?))).collect())
}

/// Jobs whose summary is behind their ledger, or is not there.
async fn stale(db: &Connection, ids: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
    let known = summary::Entity::find()
        .filter(summary::Column::JobId.is_in(ids.iter().copied()))
        .select_only()
        .column(summary::Column::JobId)
        .column(summary::Column::Seq)
        .into_tuple::<(Uuid, i32)>();
    let written = entry::Entity::find()
        .filter(entry::Column::JobId.is_in(ids.iter().copied()))
        .select_only()
        .column(entry::Column::JobId)
        .column_as(entry::Column::Seq.max(), "seq")
        .group_by(entry::Column::JobId)
        .into_tuple::<(Uuid, i32)>();
    let (known, written) = tokio::try_join!(known.all(db), written.all(db))?;
    let [known, written]: [HashMap<Uuid, i32>; 2] = [known, written].map(|seqs| seqs.into_iter().collect());
    Ok(ids.iter().filter(|id| known.get(id).copied() != Some(written.get(id).copied().unwrap_or(0))).copied().collect())
}

/// The last entries of the page with their authors.
async fn last_said(db: &Connection, ids: impl Iterator<Item = Uuid>) -> Result<HashMap<Uuid, Entry>, StoreError> {
    let rows = entry::Entity::load().filter(entry::Column::Id.is_in(ids)).with(user::Entity).all(db).await?;
    Ok(rows.into_iter().map(|row| (row.id, Entry::of_row(row))).collect())
}

fn one(mut row: job::ModelEx, last: &mut HashMap<Uuid, Entry>) -> Option<Row> {
    let (summary, vehicle) = (row.summary.take()?, row.vehicle.into_option()?);
    let judged = summary.judged_seq == Some(summary.seq);
    let last = summary.last_entry.and_then(|id| last.remove(&id));
    let (last, last_by) = last.map_or((None, String::new()), |entry| (Some(entry.body), entry.author_name));
    Some(Row {
        number: row.number,
        tag: vehicle.tag,
        description: vehicle.description,
        complaint: row.complaint,
        stage: Stage::parse(&summary.stage)?,
        flag: Word::ALL.into_iter().find(|(_, id)| *id == summary.flag)?.0,
        verdict: summary
            .verdict
            .filter(|_| judged)
            .and_then(|id| Decision::ALL.into_iter().find(|(_, known)| **known == *id))
            .map(|(d, _)| d),
        leader: summary.leader.zip(summary.leader_odds).filter(|_| judged),
        on_it: summary.on_it,
        back_after: summary.back_after,
        last,
        last_by,
        last_at: summary.last_at,
        engine: row.engine_id,
        opened_at: row.opened_at,
        closed_at: row.closed_at,
    })
}
