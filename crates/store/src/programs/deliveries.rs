//! What is sent to programs when something happens at a job: written in the transaction of what happened, so that none is lost, and sent until it arrives.
//!
//! An event names the job, and says nothing of vehicle or customer: the program fetches those with its token.
use crate::entity::{hook_delivery as table, program};
use crate::{Connection, StoreError, Viewer, json, now};
use chrono::{Duration, NaiveDateTime, SecondsFormat};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{ActiveModelTrait, ColumnTrait, Condition, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use serde::Serialize;
use uuid::Uuid;

/// Seconds until the next try, by how many there were: for a day and a half in all.
const WAITS_S: [i64; 9] = [5, 30, 120, 600, 3600, 3 * 3600, 6 * 3600, 12 * 3600, 12 * 3600];
/// Who takes one to send it has so long for that; then another server tries.
const LEASE: Duration = Duration::seconds(60);
/// What was sent is shown so long.
const SHOWN: Duration = Duration::days(30);
/// Shown in a list.
const LISTED: u64 = 50;

/// Something that happened at a job.
#[derive(Debug, Clone, Copy)]
pub struct HookEvent<'a> {
    /// What: `job.opened`, `job.changed`, `job.closed`, `job.reopened`.
    pub kind: &'static str,
    /// The shop.
    pub shop: Uuid,
    /// The job's number.
    pub number: i64,
    /// Who opened the job.
    pub opened_by: Uuid,
    /// The entry that says it: its key, its place in the history and its kind.
    pub entry: Option<(Uuid, i32, &'a str)>,
}

#[derive(Serialize)]
struct Sent<'a> {
    id: Uuid,
    #[serde(rename = "type")]
    kind: &'a str,
    at: String,
    job: i64,
    #[serde(skip_serializing_if = "Option::is_none")]
    entry: Option<SentEntry<'a>>,
}

#[derive(Serialize)]
struct SentEntry<'a> {
    id: Uuid,
    seq: i32,
    kind: &'a str,
}

/// Notes an event for every program of the shop that is told of it, in the transaction in which it happens.
pub(crate) async fn tell(db: &impl ConnectionTrait, event: &HookEvent<'_>) -> Result<(), StoreError> {
    let concerned = program::Entity::find()
        .filter(program::Column::ShopId.eq(event.shop))
        .filter(program::Column::RevokedAt.is_null())
        .filter(program::Column::HookUrl.is_not_null())
        .filter(Condition::any().add(program::Column::OwnJobsOnly.eq(false)).add(program::Column::UserId.eq(event.opened_by)));
    for id in concerned.select_only().column(program::Column::Id).into_tuple::<Uuid>().all(db).await? {
        let (delivery, at) = (Uuid::now_v7(), now());
        let sent = Sent {
            id: delivery,
            kind: event.kind,
            at: at.and_utc().to_rfc3339_opts(SecondsFormat::Micros, true),
            job: event.number,
            entry: event.entry.map(|(id, seq, kind)| SentEntry { id, seq, kind }),
        };
        let row = table::ActiveModel {
            id: Set(delivery),
            program_id: Set(id),
            kind: Set(event.kind.to_owned()),
            body: Set(json("event", &sent)?),
            made_at: Set(at),
            next_try_at: Set(Some(at)),
            tries: Set(0),
            delivered_at: Set(None),
            answer: Set(String::new()),
        };
        table::Entity::insert(row).exec_without_returning(db).await?;
    }
    Ok(())
}

/// An event that is to be sent now.
#[derive(Clone, PartialEq, Eq)]
pub struct Due {
    /// Its key, which is the same at every try.
    pub id: Uuid,
    /// Where to.
    pub url: String,
    /// By what it is signed.
    pub secret: String,
    /// What is sent.
    pub body: String,
    tries: i32,
}

/// Takes what is due, so that no other server sends it meanwhile.
pub async fn due(db: &Connection, most: u64) -> Result<Vec<Due>, StoreError> {
    let ready = table::Entity::find()
        .filter(table::Column::NextTryAt.lte(now()))
        .order_by_asc(table::Column::NextTryAt)
        .limit(most)
        .find_also_related(program::Entity);
    let mut taken = Vec::new();
    for (row, program) in ready.all(db).await? {
        let lease = table::ActiveModel { next_try_at: Set(Some(now() + LEASE)), tries: Set(row.tries + 1), ..Default::default() };
        let still = table::Column::Id.eq(row.id).and(table::Column::NextTryAt.eq(row.next_try_at));
        let mine = table::Entity::update_many().set(lease).filter(still).exec(db).await?.rows_affected == 1;
        let program = program.filter(|program| program.revoked_at.is_none());
        match program.and_then(|program| program.hook_url.zip(program.hook_secret)).filter(|_| mine) {
            Some((url, secret)) => taken.push(Due { id: row.id, url, secret, body: row.body, tries: row.tries + 1 }),
            None if mine => end(db, row.id, None, "not sent: the program gets no events any more").await?,
            None => {}
        }
    }
    Ok(taken)
}

/// Notes how a try went: delivered, or why not, in words.
pub async fn answered(db: &Connection, due: &Due, went: Result<String, String>) -> Result<(), StoreError> {
    match went {
        Ok(answer) => end(db, due.id, Some(now()), &answer).await,
        Err(why) => match usize::try_from(due.tries - 1).ok().and_then(|tries| WAITS_S.get(tries)) {
            Some(wait) => {
                let next_try_at = Set(Some(now() + Duration::seconds(*wait)));
                let row = table::ActiveModel { id: Set(due.id), next_try_at, answer: Set(short(&why)), ..Default::default() };
                row.update(db).await?;
                Ok(())
            }
            None => end(db, due.id, None, &format!("given up: {why}")).await,
        },
    }
}

async fn end(db: &Connection, id: Uuid, delivered_at: Option<NaiveDateTime>, answer: &str) -> Result<(), StoreError> {
    let (delivered_at, answer) = (Set(delivered_at), Set(short(answer)));
    table::ActiveModel { id: Set(id), next_try_at: Set(None), delivered_at, answer, ..Default::default() }.update(db).await?;
    Ok(())
}

fn short(text: &str) -> String {
    text.chars().take(190).collect()
}

/// An event in the list of what was sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delivery {
    /// Key.
    pub id: Uuid,
    /// What happened.
    pub kind: String,
    /// What is sent.
    pub body: String,
    /// When it happened, UTC.
    pub made_at: NaiveDateTime,
    /// When it arrived, UTC.
    pub delivered_at: Option<NaiveDateTime>,
    /// When it is tried next, UTC; none where it arrived or was given up.
    pub next_try_at: Option<NaiveDateTime>,
    /// How often it was tried.
    pub tries: i32,
    /// What came back last, in words.
    pub answer: String,
}

/// What a program was sent lately, the newest first.
pub async fn deliveries(db: &Connection, viewer: &Viewer, program: Uuid) -> Result<Vec<Delivery>, StoreError> {
    let own = of_shop(viewer, program).order_by_desc(table::Column::Id).limit(LISTED);
    let one = |row: table::Model| Delivery {
        id: row.id,
        kind: row.kind,
        body: row.body,
        made_at: row.made_at,
        delivered_at: row.delivered_at,
        next_try_at: row.next_try_at,
        tries: row.tries,
        answer: row.answer,
    };
    Ok(own.all(db).await?.into_iter().map(one).collect())
}

/// Sends once more what was given up, or at once what waits.
pub async fn send_again(db: &Connection, viewer: &Viewer, program: Uuid, id: Uuid) -> Result<(), StoreError> {
    let row = of_shop(viewer, program).filter(table::Column::Id.eq(id)).one(db).await?.ok_or(StoreError::NotFound)?;
    table::ActiveModel { id: Set(row.id), next_try_at: Set(Some(now())), tries: Set(0), ..Default::default() }.update(db).await?;
    Ok(())
}

fn of_shop(viewer: &Viewer, program: Uuid) -> sea_orm::Select<table::Entity> {
    table::Entity::find()
        .inner_join(program::Entity)
        .filter(program::Column::ShopId.eq(viewer.shop))
        .filter(table::Column::ProgramId.eq(program))
}

pub(super) async fn purge(db: &Connection) -> Result<(), StoreError> {
    let over = Expr::col(table::Column::MadeAt).lt(now() - SHOWN);
    table::Entity::delete_many().filter(over).filter(table::Column::NextTryAt.is_null()).exec(db).await?;
    Ok(())
}
