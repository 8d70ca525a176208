//! What the board tells of a job, kept beside the ledger.
//!
//! Where it is, may it run, who wrote what last: written in the transaction of every entry. Verdict and leader need the engine's draws, which take longer than a
//! job's row may be held: whoever shows the job has them at hand, and notes them for the entry that they were made of ([`judged`]). A later entry makes them unknown again.
use super::{Body, Job, find, whole};
use crate::entity::{job, summary as table};
use crate::{Connection, StoreError, Viewer};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{ExprTrait, OnConflict};
use sea_orm::{ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait, UpdateMany};
use uuid::Uuid;
use velvet_dial_core::case::Case;
use velvet_dial_core::flag;
use velvet_dial_core::knowledge::fingerprint;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::record::CORE;
use velvet_dial_core::stage::where_it_is;

fn of(job: &Job, shop: Uuid) -> table::ActiveModel {
    let case: Case = job.case();
    // An overruling ends by itself, and the word stays the same under it.
    let flag = flag::flag(&case, None);
    let last = job.entries.last();
    let on_it = job.particulars().on_it;
    table::ActiveModel {
        job_id: Set(job.head.id),
        shop_id: Set(shop),
        number: Set(job.head.number),
        closed_at: Set(job.closing().map(|closing| closing.written_at)),
        seq: Set(job.seq()),
        stage: Set(where_it_is(&case).id().to_owned()),
        verdict: Set(None),
        flag: Set(flag.word.id().to_owned()),
        flag_rule: Set(flag.rule.map(str::to_owned)),
        last_entry: Set(last.map(|entry| entry.id)),
        last_by: Set(last.map(|entry| entry.author)),
        last_at: Set(last.map_or(job.head.opened_at, |entry| entry.written_at)),
        on_it: Set(on_it.map(|(_, name)| name)),
        back_after: Set(job.back_after()),
        leader: Set(None),
        leader_odds: Set(None),
        judged_seq: Set(None),
        told_by: Set(Some(told_by())),
    }
}

/// This program: what it says of a job goes by its code and its knowledge.
fn told_by() -> String {
    format!("{CORE}{}", fingerprint())
}

/// Makes the summaries of some jobs anew from their ledgers, and hands back the jobs. Whoever calls it holds the jobs' rows, or makes good for a server that wrote none.
pub(super) async fn follow(db: &impl ConnectionTrait, viewer: &Viewer, jobs: &[Uuid]) -> Result<Vec<Job>, StoreError> {
    let jobs = whole(db, viewer, job::Column::Id.is_in(jobs.iter().copied())).await?;
    let rows: Vec<table::ActiveModel> = jobs.iter().map(|job| of(job, viewer.shop)).collect();
    if rows.is_empty() {
        return Ok(jobs);
    }
    find::follow(db, viewer, &jobs).await?;
    let all = table::Column::JobId;
    let changed = OnConflict::column(all)
        .update_columns([
            table::Column::ClosedAt,
            table::Column::Seq,
            table::Column::Stage,
            table::Column::Verdict,
            table::Column::Flag,
            table::Column::FlagRule,
            table::Column::LastEntry,
            table::Column::LastBy,
            table::Column::LastAt,
            table::Column::OnIt,
            table::Column::BackAfter,
            table::Column::Leader,
            table::Column::LeaderOdds,
            table::Column::JudgedSeq,
            table::Column::ToldBy,
        ])
        .to_owned();
    table::Entity::insert_many(rows).on_conflict(changed).exec_without_returning(db).await?;
    Ok(jobs)
}

/// What a diagnosis says of a job.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// The last entry it was made of.
    pub seq: i32,
    /// The verdict: after the repair when it was read again, else before.
    pub verdict: Decision,
    /// The cause that leads, and its odds.
    pub leader: Option<(String, f64)>,
}

/// Notes what a diagnosis says, as long as nothing was written since.
pub async fn judged(db: &Connection, viewer: &Viewer, job: Uuid, judged: &Judged) -> Result<(), StoreError> {
    let (leader, odds) = judged.leader.clone().unzip();
    let noted = table::ActiveModel {
        verdict: Set(Some(judged.verdict.id().to_owned())),
        leader: Set(leader),
        leader_odds: Set(odds),
        judged_seq: Set(Some(judged.seq)),
        ..Default::default()
    };
    let still = table::Entity::update_many()
        .set(noted)
        .filter(table::Column::JobId.eq(job))
        .filter(table::Column::ShopId.eq(viewer.shop))
        .filter(table::Column::Seq.eq(judged.seq));
    still.exec(db).await?;
    Ok(())
}

/// Has the open jobs of all shops told anew that another state of the program told: it may say another word of them.
pub async fn retell(db: &Connection) -> Result<(), StoreError> {
    let other = table::Column::ToldBy.is_null().or(table::Column::ToldBy.ne(told_by()));
    to_be_told().filter(other).exec(db).await?;
    Ok(())
}

/// The open jobs, to be told anew when they are next shown.
fn to_be_told() -> UpdateMany<table::Entity> {
    table::Entity::update_many()
        .set(table::ActiveModel { seq: Set(BEHIND), judged_seq: Set(None), ..Default::default() })
        .filter(table::Column::ClosedAt.is_null())
}

/// Has the open jobs of an engine, or all open jobs of the shop, told anew when they are next shown: something they are judged by was changed.
pub async fn resummarise(db: &impl ConnectionTrait, viewer: &Viewer, engine: Option<Uuid>) -> Result<(), StoreError> {
    let mut open = to_be_told().filter(table::Column::ShopId.eq(viewer.shop));
    if let Some(engine) = engine {
        let of_engine = job::Entity::find().filter(job::Column::EngineId.eq(engine)).select_only().column(job::Column::Id).into_query();
        open = open.filter(table::Column::JobId.in_subquery(of_engine));
    }
    open.exec(db).await?;
    Ok(())
}

/// Behind every ledger.
const BEHIND: i32 = -1;

/// The open jobs of the shop whose summary is behind: something they are judged by was changed.
pub(super) async fn behind(db: &Connection, viewer: &Viewer) -> Result<Vec<Uuid>, StoreError> {
    let open = table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop)).filter(table::Column::ClosedAt.is_null());
    let behind = open.filter(table::Column::Seq.eq(BEHIND)).select_only().column(table::Column::JobId);
    Ok(behind.into_tuple().all(db).await?)
}

/// Jobs held in memory at once while many are made anew.
const AT_ONCE: usize = 64;

/// Makes the summaries of some jobs good. Where somebody writes in one of them, the next look does it.
pub(super) async fn make_good(db: &Connection, viewer: &Viewer, jobs: &[Uuid]) -> Result<(), StoreError> {
    for some in jobs.chunks(AT_ONCE) {
        match follow(db, viewer, some).await {
            Err(StoreError::Database(error)) if crate::lost_a_race(&error) => {}
            other => _ = other?,
        }
    }
    Ok(())
}

/// Makes every summary of a shop anew from the ledgers; how many.
pub async fn rebuild(db: &Connection, viewer: &Viewer) -> Result<usize, StoreError> {
    let ids: Vec<Uuid> = job::Entity::find()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .order_by_asc(job::Column::Number)
        .select_only()
        .column(job::Column::Id)
        .into_tuple()
        .all(db)
        .await?;
    for some in ids.chunks(AT_ONCE) {
        follow(db, viewer, some).await?;
    }
    Ok(ids.len())
}

impl Job {
    /// True when the board does not know what a diagnosis of this job says.
    pub fn unjudged(&self) -> bool {
        self.judged_seq != Some(self.seq())
    }

    /// The last word said before an entry about the same thing: what an undone correction brings back.
    pub fn said_before(&self, id: Uuid) -> Option<&Body> {
        let undone = self.entries.iter().find(|entry| entry.id == id)?;
        let before = self.entries.iter().find(|entry| Some(entry.id) == undone.supersedes)?;
        (before.body.kind() == undone.body.kind()).then_some(&before.body)
    }
}
