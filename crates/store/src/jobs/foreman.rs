//! What somebody may not write by themselves: it is kept as they typed it, and written once a foreman says yes.
//!
//! The right that an entry needs follows from what it says, from whose words it takes the place of, and from whether it lets a stopped engine run again. The ledger itself
//! goes by it, so no door to it can forget it.
use super::entry::{Body, Entry, Happened, times};
use super::ledger::{Write, digest};
use super::{Job, load, own_job};
use crate::audit::{self, ShopEvent};
use crate::entity::{foreman_request as table, job, user, vehicle};
use crate::{Connection, StoreError, Viewer, now};
use chrono::{NaiveDateTime, Utc};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::Expr;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait};
use std::cmp::Ordering;
use uuid::Uuid;
use velvet_dial_core::flag::{Flag, flag};
use velvet_dial_core::rights::{Grant, Right};

/// Something that waits for a foreman.
#[derive(Debug, Clone, PartialEq)]
pub struct ForemanRequest {
    /// Key.
    pub id: Uuid,
    /// The job's number.
    pub number: i64,
    /// Its plate.
    pub tag: String,
    /// Who asks.
    pub by: Uuid,
    /// Their name.
    pub by_name: String,
    /// Since when, UTC.
    pub asked_at: NaiveDateTime,
    /// When what it says happened, UTC.
    pub happened_at: NaiveDateTime,
    /// The right that they do not have.
    pub right: Right,
    /// What is to be written.
    pub body: Body,
    /// The entry it is to take the place of.
    pub supersedes: Option<Uuid>,
}

impl Body {
    /// The right that an entry needs by what it says alone.
    fn right(&self) -> Right {
        match self {
            Self::Agreed { .. } | Self::Talked { .. } | Self::Replied { .. } => Right::Approve,
            Self::Closed { .. } => Right::Close,
            Self::Reopened { .. } => Right::Reopen,
            Self::Overruled { .. } => Right::Overrule,
            _ => Right::Work,
        }
    }

    fn is_set_apart(&self) -> bool {
        matches!(self, Self::Reading(taken) if taken.reading.set_aside.is_some())
    }
}

/// The rights that an entry needs on a job as it stands.
fn rights(job: &Job, viewer: &Viewer, new: &Write<'_>) -> Vec<Right> {
    let mut needed = vec![new.body.right()];
    let change = change(job, viewer, new);
    // What stops the engine counts at once, no matter whose words it corrects.
    if change == Ordering::Greater {
        return needed;
    }
    let replaced = new.supersedes.and_then(|id| job.entries.iter().find(|entry| entry.id == id));
    if replaced.is_some_and(|replaced| replaced.author != viewer.user && !is_gone_on_with(&replaced.body, &new.body)) {
        needed.push(Right::Correct);
    }
    if new.body.is_set_apart() || replaced.is_some_and(|replaced| replaced.body.is_set_apart()) {
        needed.push(Right::SetApart);
    }
    if change == Ordering::Less {
        needed.push(Right::LoosenStop);
    }
    needed
}

/// The new entry goes on with the work of the old one, and corrects no words: a check that was put off is done, another strategy is chosen, a step of the rig is done again, a stop that the live gauge called is answered.
fn is_gone_on_with(old: &Body, new: &Body) -> bool {
    let goes_on = matches!(old, Body::PutOff { .. } | Body::Order { .. } | Body::Pattern { .. } | Body::Rig(_) | Body::StopCall(_));
    goes_on && !matches!(new, Body::Withdrawn { .. })
}

/// What the entry does to the stop: less where the engine may do with it what it may not without, greater where it stops.
fn change(job: &Job, viewer: &Viewer, new: &Write<'_>) -> Ordering {
    let at = Some(Utc::now());
    let mut after = job.clone();
    after.entries.push(Entry {
        id: Uuid::nil(),
        seq: job.seq() + 1,
        body: new.body.clone(),
        author: viewer.user,
        author_name: String::new(),
        written_at: now(),
        happened_at: new.happened.happened_at.unwrap_or_else(now),
        time_reason: String::new(),
        supersedes: new.supersedes,
    });
    times(&mut after.entries);
    let rank = |flag: &Flag| (flag.word, !flag.one_reading(), !flag.may_crank, flag.overruled.is_none());
    rank(&flag(&after.case(), at)).cmp(&rank(&flag(&job.case(), at)))
}

/// Whether the viewer may write this.
///
/// # Errors
/// [`StoreError::NotAllowed`] with the first right that their role does not have.
pub(super) async fn allowed(db: &Connection, viewer: &Viewer, number: i64, new: &Write<'_>) -> Result<(), StoreError> {
    let missing = |right: &Right| !viewer.role.may_do(*right);
    let of_its_own = new.body.right();
    if missing(&of_its_own) {
        return Err(StoreError::NotAllowed(of_its_own));
    }
    // Who may do all of it is not kept waiting for the job to be loaded.
    if ![Right::Correct, Right::SetApart, Right::LoosenStop].iter().any(missing) {
        return Ok(());
    }
    let job = load(db, viewer, number).await?;
    match rights(&job, viewer, new).into_iter().find(missing) {
        Some(right) => Err(StoreError::NotAllowed(right)),
        None => Ok(()),
    }
}

/// Keeps what somebody asks for until a foreman answers; sent twice it is asked once.
///
/// # Errors
/// [`StoreError::NotAllowed`] where their role may not even ask.
pub async fn ask_foreman(db: &Connection, viewer: &Viewer, number: i64, right: Right, new: &Write<'_>) -> Result<(), StoreError> {
    if viewer.role.may(right) != Grant::Asks {
        return Err(StoreError::NotAllowed(right));
    }
    new.body.in_range()?;
    let head = own_job(db, viewer, number).await?;
    let says = new.body.to_kept(&Happened::default(), None).ok_or(StoreError::CannotBeKept)?;
    let submit_key = digest(new.submit_key, &[&says, &new.supersedes.map(|id| id.to_string()).unwrap_or_default()]);
    let row = table::ActiveModel {
        id: Set(Uuid::now_v7()),
        job_id: Set(head.id),
        asked_by: Set(viewer.user),
        asked_at: Set(now()),
        right_to: Set(right.id().to_owned()),
        body: Set(new.body.to_kept(&new.happened, None).ok_or(StoreError::CannotBeKept)?),
        supersedes: Set(new.supersedes),
        submit_key: Set(submit_key),
        settled_at: Set(None),
        settled_by: Set(None),
        granted: Set(None),
    };
    match row.insert(db).await {
        Ok(_) => Ok(()),
        Err(error) if crate::stands_already(&error) => Ok(()),
        Err(error) => Err(error.into()),
    }
}

async fn waiting(db: &Connection, viewer: &Viewer, which: Expr) -> Result<Vec<ForemanRequest>, StoreError> {
    let rows = table::Entity::load()
        .filter(table::Column::SettledAt.is_null())
        .filter(which)
        .order_by_asc(table::Column::AskedAt)
        .with(user::Entity)
        .with((job::Entity, vehicle::Entity))
        .all(db)
        .await?;
    Ok(rows.into_iter().filter_map(|row| of_row(viewer, row)).collect())
}

fn of_row(viewer: &Viewer, row: table::ModelEx) -> Option<ForemanRequest> {
    let job = row.job.into_option().filter(|job| job.shop_id == viewer.shop)?;
    Some(ForemanRequest {
        id: row.id,
        number: job.number,
        tag: job.vehicle.into_option().map(|vehicle| vehicle.tag).unwrap_or_default(),
        by: row.asked_by,
        by_name: row.asker.into_option().map(|asker| asker.shown_name).unwrap_or_default(),
        asked_at: row.asked_at,
        happened_at: Happened::of_kept(&row.body).happened_at.unwrap_or(row.asked_at),
        right: Right::parse(&row.right_to)?,
        body: Body::from_kept("", &row.body),
        supersedes: row.supersedes,
    })
}

/// What waits for a foreman of the shop, the oldest first.
pub async fn foreman_requests(db: &Connection, viewer: &Viewer) -> Result<Vec<ForemanRequest>, StoreError> {
    let own = job::Entity::find().select_only().column(job::Column::Id).filter(job::Column::ShopId.eq(viewer.shop));
    waiting(db, viewer, table::Column::JobId.in_subquery(own.into_query())).await
}

/// What waits for a foreman on a job.
pub async fn requests_of_job(db: &Connection, viewer: &Viewer, job: Uuid) -> Result<Vec<ForemanRequest>, StoreError> {
    waiting(db, viewer, table::Column::JobId.eq(job)).await
}

/// One that waits, by its key.
pub async fn foreman_request(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<ForemanRequest, StoreError> {
    waiting(db, viewer, table::Column::Id.eq(id)).await?.pop().ok_or(StoreError::NotFound)
}

/// Notes that it was answered: by the entry that was written, or by a no. What was typed is not kept any longer, since it may name a customer.
pub async fn settle_request(db: &Connection, viewer: &Viewer, request: &ForemanRequest, granted: bool) -> Result<(), StoreError> {
    let own_no = !granted && request.by == viewer.user;
    if !own_no && !viewer.role.may_do(request.right) {
        return Err(StoreError::NotAllowed(request.right));
    }
    let settled = table::ActiveModel {
        body: Set(String::new()),
        settled_at: Set(Some(now())),
        settled_by: Set(Some(viewer.user)),
        granted: Set(Some(granted)),
        ..Default::default()
    };
    table::Entity::update_many()
        .set(settled)
        .filter(table::Column::Id.eq(request.id))
        .filter(table::Column::SettledAt.is_null())
        .exec(db)
        .await?;
    let event = ShopEvent::Answered { job: request.number, who: request.by_name.clone(), right: request.right, granted };
    audit::note(db, viewer, &event).await
}

/// Takes away what requests of a job say, with its customer.
pub(super) async fn forget(db: &impl ConnectionTrait, job: Uuid) -> Result<(), StoreError> {
    table::Entity::update_many().col_expr(table::Column::Body, Expr::value("")).filter(table::Column::JobId.eq(job)).exec(db).await?;
    Ok(())
}
