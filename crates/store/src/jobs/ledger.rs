//! Adding to a job's ledger: once however often it is sent, and never over somebody else's words.
//!
//! A write holds the job's row for its moment, so entries are numbered without gaps. In that moment it is seen whether this very form was
//! written before (then that entry is the answer), and whether what it would take the place of has been replaced meanwhile (then the
//! writer is told by whom, and nothing is written).
use super::closing::Pin;
use super::entry::{Body, Entry, Happened};
use super::link::Claim;
use super::{Job, JobDetails, foreman, own_job, personal, removal, summary};
use crate::entity::{entry, job, user};
use crate::programs::{self, HookEvent};
use crate::{Connection, StoreError, Viewer, library, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::ExprTrait;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, TransactionTrait};
use uuid::Uuid;
use velvet_dial_core::hex::hash_of_parts;
use velvet_dial_core::record::Chained;

/// One entry to be written.
#[derive(Debug, Clone)]
pub struct Write<'a> {
    /// What it says.
    pub body: Body,
    /// The entry it takes the place of.
    pub supersedes: Option<Uuid>,
    /// Key of the form.
    pub submit_key: &'a str,
    /// When; now, but for a job brought in from elsewhere.
    pub at: Option<NaiveDateTime>,
    /// When it happened, where that is neither now nor when what it corrects happened.
    pub happened: Happened,
    /// Who asked for it, where a foreman said yes to it.
    pub asked_by: Option<&'a str>,
}

impl<'a> Write<'a> {
    /// An entry of this moment.
    pub fn of(body: Body, submit_key: &'a str) -> Self {
        Self { body, supersedes: None, submit_key, at: None, happened: Happened::default(), asked_by: None }
    }

    /// The same in the place of another.
    pub fn in_place_of(self, supersedes: Option<Uuid>) -> Self {
        Self { supersedes, ..self }
    }
}

/// What became of a write.
#[derive(Debug, Clone, PartialEq)]
pub enum Written {
    /// It stands, as this entry.
    Stands(Uuid),
    /// It stood already.
    StoodAlready(Uuid),
    /// Another entry has taken that place meanwhile; nothing was written.
    Overtaken {
        /// Which.
        by: Box<Entry>,
    },
}

/// Times a write is tried again when the database lets another one first.
const TRIES: usize = 5;

/// Writes an entry.
pub async fn write(db: &Connection, viewer: &Viewer, number: i64, new: &Write<'_>) -> Result<Written, StoreError> {
    Ok(write_and_load(db, viewer, number, new).await?.0)
}

/// Writes an entry, and hands back the job as it stands with it: none where it was not written now.
pub async fn write_and_load(db: &Connection, viewer: &Viewer, number: i64, new: &Write<'_>) -> Result<(Written, Option<Job>), StoreError> {
    // OK because only what goes along with an entry can have moved.
    write_with(db, viewer, number, new, None).await?.ok_or(StoreError::NotFound)
}

/// What is written in the same transaction as an entry, so that both are kept or neither.
pub(super) enum Along<'a> {
    /// The record of a closing.
    Record(Pin<'a>),
    /// The mark that a customer's link is answered.
    Answer(Claim),
    /// What is kept of the customer is taken away.
    Removal,
}

/// Writes an entry, with what goes along with it; none when that no longer holds: the ledger has moved on since the record was made, or the link is answered already.
pub(super) async fn write_with(
    db: &Connection,
    viewer: &Viewer,
    number: i64,
    new: &Write<'_>,
    along: Option<&Along<'_>>,
) -> Result<Option<(Written, Option<Job>)>, StoreError> {
    // A customer answers for themselves, and a removal is the command's.
    if !matches!(along, Some(Along::Answer(_) | Along::Removal)) {
        foreman::allowed(db, viewer, number, new).await?;
    }
    crate::retried(TRIES, || write_once(db, viewer, number, new, along)).await
}

async fn write_once(
    db: &Connection,
    viewer: &Viewer,
    number: i64,
    new: &Write<'_>,
    along: Option<&Along<'_>>,
) -> Result<Option<(Written, Option<Job>)>, StoreError> {
    let head = own_job(db, viewer, number).await?;
    // What was handed back is marked, and stays as it is.
    if head.scene_ended_at.is_some() {
        return Err(StoreError::Closed);
    }
    let body = new.body.to_kept(&new.happened, new.asked_by).ok_or(StoreError::CannotBeKept)?;
    new.body.in_range()?;
    let supersedes_text = new.supersedes.map(|id| id.to_string()).unwrap_or_default();
    // How long a form waited differs each time it is sent; what it says does not. A corrected time is what its form says.
    let says = if new.happened.time_reason.is_empty() { new.body.to_kept(&Happened::default(), None) } else { Some(body.clone()) };
    let key = digest(new.submit_key, &[&says.unwrap_or_default(), &supersedes_text]);
    let (body, personal) = personal::taken_out(&new.body, body)?;
    let moved = if let Body::JobDetails(details) = &new.body { Some(moved(db, viewer, details).await?) } else { None };
    let transaction = db.begin().await?;
    job::Entity::find_by_id(head.id).lock_exclusive().one(&transaction).await?;
    let rows = entry::Entity::find().filter(entry::Column::JobId.eq(head.id)).order_by_asc(entry::Column::Seq).all(&transaction).await?;
    if let Some(row) = rows.iter().find(|row| row.submit_key == key) {
        return Ok(Some((Written::StoodAlready(row.id), None)));
    }
    if let Some(supersedes) = new.supersedes {
        let replaced = rows.iter().find(|row| row.id == supersedes).ok_or(StoreError::NotFound)?;
        if !new.body.may_replace(&said_by(replaced)) {
            return Err(StoreError::CannotBeKept);
        }
    }
    if let Some(overtaker) = overtaker(&rows, new) {
        let by = entry::Entity::load().filter(entry::Column::Id.eq(overtaker.id)).with(user::Entity).one(&transaction).await?;
        let by = by.map(Entry::of_row).ok_or(StoreError::NotFound)?;
        transaction.rollback().await?;
        return Ok(Some((Written::Overtaken { by: Box::new(by) }, None)));
    }
    // A closed job is a record: only what opens it again may follow, what was found later, and that the customer was removed.
    let comes_after = matches!(new.body, Body::FollowUp(_) | Body::CustomerRemoved { .. });
    let may_follow = match new.body {
        Body::Reopened { .. } => true,
        Body::Withdrawn { .. } => rows.iter().any(|row| Some(row.id) == new.supersedes && row.kind == "follow_up"),
        _ => comes_after,
    };
    match closed(&rows) {
        true if !may_follow => return Err(StoreError::Closed),
        false if comes_after => return Err(StoreError::CannotBeKept),
        _ => {}
    }
    let seq = rows.last().map_or(0, |row| row.seq);
    let holds = match along {
        Some(Along::Record(pin)) => pin.seq == seq,
        Some(Along::Answer(claim)) => claim.take(&transaction).await?,
        Some(Along::Removal) | None => true,
    };
    if !holds {
        transaction.rollback().await?;
        return Ok(None);
    }
    let id = Uuid::now_v7();
    let mut row = entry::Model {
        id,
        job_id: head.id,
        seq: seq + 1,
        kind: new.body.kind().to_owned(),
        body,
        author_id: viewer.user,
        written_at: new.at.unwrap_or_else(now),
        supersedes: new.supersedes,
        submit_key: key,
        chain: None,
        personal,
    };
    // A ledger that was changed already goes on from what stands, and is told by whoever checks it.
    let before = rows.iter().fold(head.id.to_string(), |before, row| row.chain.clone().unwrap_or_else(|| chained(row).after(&before)));
    row.chain = Some(chained(&row).after(&before));
    entry::ActiveModel::from(row).reset_all().insert(&transaction).await?;
    match along {
        Some(Along::Record(pin)) => pin.keep(&transaction, head.id, id).await?,
        Some(Along::Removal) => removal::take_away(&transaction, head.id).await?,
        Some(Along::Answer(_)) | None => {}
    }
    if let Some(moved) = moved {
        job::ActiveModel { id: Set(head.id), ..moved }.update(&transaction).await?;
    }
    // The board finds open jobs by this; it follows the ledger in the same transaction.
    let closed_at = match new.body {
        Body::Closed { .. } => Some(Some(new.at.unwrap_or_else(now))),
        Body::Reopened { .. } => Some(None),
        _ => None,
    };
    if let Some(closed_at) = closed_at {
        job::ActiveModel { id: Set(head.id), closed_at: Set(closed_at), ..Default::default() }.update(&transaction).await?;
    }
    let job = summary::follow(&transaction, viewer, &[head.id]).await?.pop();
    let kind = match new.body {
        Body::Closed { .. } => "job.closed",
        Body::Reopened { .. } => "job.reopened",
        _ => "job.changed",
    };
    let entry = Some((id, seq + 1, new.body.kind()));
    programs::tell(&transaction, &HookEvent { kind, shop: viewer.shop, number, opened_by: head.opened_by, entry }).await?;
    transaction.commit().await?;
    Ok(Some((Written::Stands(id), job)))
}

/// What a job's row says once its details are corrected. The engine has to be one of the shop.
async fn moved(db: &Connection, viewer: &Viewer, details: &JobDetails) -> Result<job::ActiveModel, StoreError> {
    library::engine(db, viewer, details.engine).await?;
    let vehicle = library::vehicle_tagged(db, viewer, &details.tag, &details.description).await?;
    let complaint = Set(details.complaint.clone());
    Ok(job::ActiveModel { vehicle_id: Set(vehicle.id), engine_id: Set(details.engine), complaint, ..Default::default() })
}

/// True where a repair was ever recorded in a job: what is typed then may belong after it.
pub async fn was_repaired(db: &Connection, viewer: &Viewer, number: i64) -> Result<bool, StoreError> {
    let head = own_job(db, viewer, number).await?;
    let repairs = entry::Entity::find().filter(entry::Column::JobId.eq(head.id)).filter(entry::Column::Kind.eq("repair"));
    Ok(repairs.limit(1).one(db).await?.is_some())
}

fn said_by(row: &entry::Model) -> Body {
    Body::of_row(&row.kind, &row.body, row.personal.as_deref())
}

/// An entry as its hash is made of it.
fn chained(row: &entry::Model) -> Chained {
    Chained {
        id: row.id.to_string(),
        seq: row.seq,
        kind: row.kind.clone(),
        body: row.body.clone(),
        author: row.author_id.to_string(),
        at: row.written_at.and_utc(),
        supersedes: row.supersedes.map(|id| id.to_string()),
        chain: row.chain.clone().unwrap_or_default(),
    }
}

/// The ledger of a job as it is kept, with its hashes, and the job's key, on which the first stands.
pub async fn chain(db: &Connection, viewer: &Viewer, number: i64) -> Result<(Uuid, Vec<Chained>), StoreError> {
    let head = own_job(db, viewer, number).await?;
    let rows = entry::Entity::find().filter(entry::Column::JobId.eq(head.id)).order_by_asc(entry::Column::Seq).all(db).await?;
    Ok((head.id, rows.iter().map(chained).collect()))
}

/// The first entry whose words of the customer, kept beside its text, are not those it was hashed of, or are gone although nobody removed the customer.
pub async fn changed_words(db: &Connection, viewer: &Viewer, number: i64) -> Result<Option<i32>, StoreError> {
    let head = own_job(db, viewer, number).await?;
    let of_the_customer = entry::Column::Personal.is_not_null().or(entry::Column::Kind.is_in(removal::kinds()));
    let rows = entry::Entity::find().filter(entry::Column::JobId.eq(head.id)).filter(of_the_customer);
    Ok(removal::first_changed(&rows.order_by_asc(entry::Column::Seq).all(db).await?))
}

/// The live entry that stands where the new one wants to, without the new one knowing of it.
fn overtaker<'a>(rows: &'a [entry::Model], new: &Write<'_>) -> Option<&'a entry::Model> {
    let heir = |id: Uuid| rows.iter().find(|row| row.supersedes == Some(id));
    if let Some(mut latest) = new.supersedes.and_then(heir) {
        while let Some(next) = heir(latest.id) {
            latest = next;
        }
        return Some(latest);
    }
    let subject = new.body.subject()?;
    rows.iter()
        .filter(|row| heir(row.id).is_none() && Some(row.id) != new.supersedes)
        .find(|row| said_by(row).subject().as_ref() == Some(&subject))
}

fn closed(rows: &[entry::Model]) -> bool {
    let superseded = |id: Uuid| rows.iter().any(|row| row.supersedes == Some(id));
    rows.iter().any(|row| row.kind == "closed" && !superseded(row.id))
}

/// A form's key with what it says: sent again it is the same, changed it is another.
pub(crate) fn digest(submit_key: &str, parts: &[&str]) -> String {
    hash_of_parts(std::iter::once(submit_key).chain(parts.iter().copied()))
}
