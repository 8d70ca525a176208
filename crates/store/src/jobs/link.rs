//! A link by which the customer answers without signing in: yes or no once, and questions.
//!
//! A new link ends the older ones, closing the job ends them all, and yes or no is said once: the answer and the mark that it was given are one transaction.
//!
//! The token is 32 random bytes and is kept as its hash alone, so whoever reads the database cannot answer. What is proposed is kept with the link: the customer says yes to what was
//! read, whatever the trace says later. An answer is an entry of the ledger in the name of who made the link, and says that it came by it.
use super::ledger::{Along, Write, Written, write_with};
use super::{Body, Entry, Job, load, own_job};
use crate::accounts::viewer;
use crate::entity::{customer_link as table, job, shop, user};
use crate::{Connection, StoreError, Viewer, json, now, secret};
use chrono::{NaiveDateTime, TimeDelta};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, TransactionTrait, UpdateMany,
};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// Questions of one link.
const MOST_QUESTIONS: i32 = 5;
/// Times an answer is tried when somebody in the shop writes in the same moment.
const TRIES: usize = 4;

/// What is proposed to the customer, as it is read there.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Proposal {
    /// Who proposes it.
    pub shop: String,
    /// Plate, and what the vehicle is.
    pub vehicle: String,
    /// What is said of it, a sentence each.
    pub says: Vec<String>,
    /// Up to what it may cost.
    pub up_to: Option<f64>,
    /// The shop's money.
    pub money: String,
}

/// A link as the shop sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Link {
    /// Its key.
    pub id: Uuid,
    /// What is proposed.
    pub proposal: Proposal,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: NaiveDateTime,
    /// Until when it holds.
    pub expires_at: NaiveDateTime,
    /// How it stands.
    pub state: LinkState,
    /// How often it was opened.
    pub looks: i32,
}

/// How a link stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LinkState {
    /// It can be answered.
    Open,
    /// Yes or no was said.
    Answered,
    /// Its time is over.
    Expired,
    /// It was withdrawn, a newer one was made, or its job was closed.
    Revoked,
}

/// What the customer says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    /// Yes, by this name.
    Yes {
        /// The name.
        name: String,
    },
    /// No, with words or without.
    No {
        /// The name.
        name: String,
        /// The words.
        words: String,
    },
    /// A question.
    Question {
        /// The name.
        name: String,
        /// The words.
        words: String,
    },
}

/// What became of an answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answered {
    /// It is written.
    Written,
    /// The link cannot be answered any more.
    Not(LinkState),
    /// So many questions are more than a page is for.
    TooMany,
    /// The shop writes to the job all the time; nothing was written.
    Busy,
}

fn state(row: &table::ModelEx) -> LinkState {
    let closed = row.job.as_ref().is_none_or(|job| job.closed_at.is_some());
    match () {
        () if row.answered_at.is_some() => LinkState::Answered,
        () if row.revoked_at.is_some() || closed => LinkState::Revoked,
        () if row.expires_at <= now() => LinkState::Expired,
        () => LinkState::Open,
    }
}

fn link(row: table::ModelEx) -> Result<Link, StoreError> {
    let state = state(&row);
    Ok(Link {
        id: row.id,
        proposal: serde_json::from_str(&row.body).map_err(|source| StoreError::Damaged { what: "link", source })?,
        made_by: row.author.into_option().map(|author| author.shown_name).unwrap_or_default(),
        made_at: row.made_at,
        expires_at: row.expires_at,
        state,
        looks: row.looks,
    })
}

/// The mark that a link is answered, or that one more question came by it.
pub(super) struct Claim {
    link: Uuid,
    question: bool,
}

impl Claim {
    /// Sets the mark; false where the link can no longer be answered.
    pub(super) async fn take(&self, db: &impl ConnectionTrait) -> Result<bool, StoreError> {
        let open = open_links().filter(table::Column::Id.eq(self.link)).filter(table::Column::ExpiresAt.gt(now()));
        let marked = if self.question {
            let more = open.filter(table::Column::Questions.lt(MOST_QUESTIONS));
            more.col_expr(table::Column::Questions, Expr::col(table::Column::Questions).add(1))
        } else {
            open.col_expr(table::Column::AnsweredAt, Expr::value(now()))
        };
        Ok(marked.exec(db).await?.rows_affected == 1)
    }
}

/// A change of links that are neither answered nor ended.
fn open_links() -> UpdateMany<table::Entity> {
    table::Entity::update_many().filter(table::Column::AnsweredAt.is_null()).filter(table::Column::RevokedAt.is_null())
}

/// Ends the links of a job that can still be answered.
pub(super) async fn end_open(db: &impl ConnectionTrait, job: Uuid) -> Result<(), StoreError> {
    let ended = open_links().col_expr(table::Column::RevokedAt, Expr::value(now())).filter(table::Column::JobId.eq(job));
    ended.exec(db).await?;
    Ok(())
}

/// Makes a link, which ends the older ones: its token, which is shown this once.
pub async fn make_link(db: &Connection, viewer: &Viewer, number: i64, proposal: &Proposal, days: i64) -> Result<String, StoreError> {
    let head = own_job(db, viewer, number).await?;
    let token = secret::new::<32>()?;
    let row = table::ActiveModel {
        id: Set(Uuid::now_v7()),
        token_hash: Set(secret::digest(&token)),
        job_id: Set(head.id),
        body: Set(json("link", proposal)?),
        made_by: Set(viewer.user),
        made_at: Set(now()),
        expires_at: Set(now() + TimeDelta::days(days)),
        revoked_at: Set(None),
        answered_at: Set(None),
        looks: Set(0),
        questions: Set(0),
    };
    let transaction = db.begin().await?;
    job::Entity::find_by_id(head.id).lock_exclusive().one(&transaction).await?;
    end_open(&transaction, head.id).await?;
    row.insert(&transaction).await?;
    transaction.commit().await?;
    Ok(token)
}

/// The links of a job, the newest first.
pub async fn links(db: &Connection, viewer: &Viewer, number: i64) -> Result<Vec<Link>, StoreError> {
    let head = own_job(db, viewer, number).await?;
    let rows = table::Entity::load()
        .filter(table::Column::JobId.eq(head.id))
        .order_by_desc(table::Column::MadeAt)
        .with(user::Entity)
        .with(job::Entity)
        .all(db)
        .await?;
    rows.into_iter().map(link).collect()
}

/// Calls a link back.
pub async fn revoke_link(db: &Connection, viewer: &Viewer, number: i64, id: Uuid) -> Result<(), StoreError> {
    let head = own_job(db, viewer, number).await?;
    let ended = open_links().col_expr(table::Column::RevokedAt, Expr::value(now()));
    ended.filter(table::Column::Id.eq(id)).filter(table::Column::JobId.eq(head.id)).exec(db).await?;
    Ok(())
}

async fn row_of(db: &Connection, token: &str) -> Result<Option<table::ModelEx>, StoreError> {
    let by_token = table::Entity::load().filter(table::Column::TokenHash.eq(secret::digest(token)));
    Ok(by_token.with((user::Entity, shop::Entity)).with(job::Entity).one(db).await?)
}

/// What a token leads to, for who holds it; counts the look. None for a token that is none.
pub async fn link_of(db: &Connection, token: &str) -> Result<Option<Link>, StoreError> {
    let Some(row) = row_of(db, token).await? else { return Ok(None) };
    table::Entity::update_many()
        .col_expr(table::Column::Looks, Expr::col(table::Column::Looks).add(1))
        .filter(table::Column::Id.eq(row.id))
        .exec(db)
        .await?;
    link(row).map(Some)
}

/// A question of the customer with the shop's answer, where there is one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CustomerQuestion {
    /// The entry of the question.
    pub entry: Uuid,
    /// The question.
    pub question: String,
    /// The answer; empty while nobody answered.
    pub answer: String,
}

/// What the customer asked about a job, the first question first.
pub fn questions(job: &Job) -> Vec<CustomerQuestion> {
    let answer = |to: Uuid| {
        job.live().find_map(|entry| match &entry.body {
            Body::Replied { question, words } if *question == to => Some(words.clone()),
            _ => None,
        })
    };
    let one = |entry: &Entry| match &entry.body {
        Body::Customer { said_no: false, words, .. } => {
            Some(CustomerQuestion { entry: entry.id, question: words.clone(), answer: answer(entry.id).unwrap_or_default() })
        }
        _ => None,
    };
    job.live().filter_map(one).collect()
}

/// What the customer asked about the job of their link, for who holds it.
pub async fn questions_of(db: &Connection, token: &str) -> Result<Vec<CustomerQuestion>, StoreError> {
    // Most customers ask nothing: then the job is not loaded.
    let Some(row) = row_of(db, token).await?.filter(|row| row.questions > 0) else { return Ok(Vec::new()) };
    let number = row.job.as_ref().map(|job| job.number).ok_or(StoreError::NotFound)?;
    let maker = viewer(row.author.into_option().ok_or(StoreError::NotFound)?);
    Ok(questions(&load(db, &maker, number).await?))
}

/// Writes what the customer says; none for a token that no link has.
pub async fn answer_link(db: &Connection, token: &str, answer: &Answer) -> Result<Option<Answered>, StoreError> {
    for _ in 0..TRIES {
        let Some(row) = row_of(db, token).await? else { return Ok(None) };
        let state = state(&row);
        if state != LinkState::Open {
            return Ok(Some(Answered::Not(state)));
        }
        if matches!(answer, Answer::Question { .. }) && row.questions >= MOST_QUESTIONS {
            return Ok(Some(Answered::TooMany));
        }
        if write_answer(db, row, answer).await? {
            return Ok(Some(Answered::Written));
        }
    }
    Ok(Some(Answered::Busy))
}

/// Writes the answer and marks the link, both or neither; false where the link or the job has changed meanwhile.
async fn write_answer(db: &Connection, row: table::ModelEx, answer: &Answer) -> Result<bool, StoreError> {
    let number = row.job.as_ref().map(|job| job.number).ok_or(StoreError::NotFound)?;
    let proposal: Proposal = serde_json::from_str(&row.body).map_err(|source| StoreError::Damaged { what: "link", source })?;
    let (id, questions) = (row.id, row.questions);
    let maker = viewer(row.author.into_option().ok_or(StoreError::NotFound)?);
    let job = load(db, &maker, number).await?;
    // The customer's newest word takes the place of their approval, and of what somebody wrote down for them.
    let approved = job.agreed().map(|entry| entry.id);
    let (body, supersedes) = match answer {
        Answer::Yes { name } => {
            let how = "by the link sent to them".to_owned();
            (Body::Agreed { who: name.clone(), how, unasked: false, up_to: proposal.up_to }, approved)
        }
        Answer::No { name, words } => (Body::Customer { who: name.clone(), said_no: true, words: words.clone() }, approved),
        Answer::Question { name, words } => (Body::Customer { who: name.clone(), said_no: false, words: words.clone() }, None),
    };
    // Sent twice, it is written once.
    let submit_key = format!("link {id} {questions}");
    let claim = Along::Answer(Claim { link: id, question: matches!(answer, Answer::Question { .. }) });
    let written = write_with(db, &maker, number, &Write::of(body, &submit_key).in_place_of(supersedes), Some(&claim)).await?;
    Ok(matches!(written, Some((Written::Stands(_) | Written::StoodAlready(_), _))))
}
