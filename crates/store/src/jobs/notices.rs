//! What happened at the shop's jobs that somebody should hear of while they do something else.
use super::{Body, foreman_requests};
use crate::entity::{customer_link, entry, job, summary, vehicle};
use crate::{Connection, StoreError, Viewer};
use chrono::NaiveDateTime;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QuerySelect};
use std::collections::HashMap;
use uuid::Uuid;

/// What happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NoticeKind {
    /// The live gauge called stop.
    Stop,
    /// The customer approved or declined by their link.
    Answered,
    /// The customer asks something by their link.
    Question,
    /// Somebody asks a foreman.
    Foreman,
}

/// Something to hear of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Notice {
    /// What.
    pub kind: NoticeKind,
    /// The job's number.
    pub number: i64,
    /// Its plate.
    pub tag: String,
    /// When, UTC.
    pub at: NaiveDateTime,
}

/// At most so many at once.
const MOST: u64 = 20;

/// What happened since a moment, the oldest first.
pub async fn notices(db: &Connection, viewer: &Viewer, since: NaiveDateTime) -> Result<Vec<Notice>, StoreError> {
    // Every entry moves its job's summary, so a few jobs are looked at and not the entries of all.
    let changed = summary::Entity::find().filter(summary::Column::ShopId.eq(viewer.shop)).filter(summary::Column::LastAt.gt(since));
    let changed: Vec<Uuid> = changed.select_only().column(summary::Column::JobId).limit(MOST * 10).into_tuple().all(db).await?;
    let mut found: Vec<(NoticeKind, Uuid, NaiveDateTime)> = Vec::new();
    if !changed.is_empty() {
        let written = entry::Entity::find()
            .filter(entry::Column::JobId.is_in(changed.iter().copied()))
            .filter(entry::Column::WrittenAt.gt(since))
            .filter(entry::Column::Kind.is_in(["stop_call", "customer"]))
            .limit(MOST);
        let answered = customer_link::Entity::find()
            .filter(customer_link::Column::JobId.is_in(changed))
            .filter(customer_link::Column::AnsweredAt.gt(since))
            .limit(MOST);
        let (written, answered) = tokio::try_join!(written.all(db), answered.all(db))?;
        found.extend(written.into_iter().filter_map(|row| match Body::of_row(&row.kind, &row.body, row.personal.as_deref()) {
            Body::StopCall(_) => Some((NoticeKind::Stop, row.job_id, row.written_at)),
            Body::Customer { said_no: false, .. } => Some((NoticeKind::Question, row.job_id, row.written_at)),
            _ => None,
        }));
        found.extend(answered.into_iter().filter_map(|link| Some((NoticeKind::Answered, link.job_id, link.answered_at?))));
    }
    let ids = found.iter().map(|(_, job, _)| *job);
    let jobs = job::Entity::find().filter(job::Column::Id.is_in(ids)).find_also_related(vehicle::Entity);
    let jobs: HashMap<Uuid, (i64, String)> = match found.is_empty() {
        true => HashMap::new(),
        false => jobs.all(db).await?.into_iter().map(|(job, of)| (job.id, (job.number, of.map(|of| of.tag).unwrap_or_default()))).collect(),
    };
    let mut notices: Vec<Notice> = found
        .into_iter()
        .filter_map(|(kind, job, at)| jobs.get(&job).map(|(number, tag)| Notice { kind, number: *number, tag: tag.clone(), at }))
        .collect();
    if viewer.role.answers_for_others() {
        let asked = foreman_requests(db, viewer).await?.into_iter().filter(|request| request.asked_at > since && request.by != viewer.user);
        notices.extend(asked.map(|request| Notice {
            kind: NoticeKind::Foreman,
            number: request.number,
            tag: request.tag,
            at: request.asked_at,
        }));
    }
    notices.sort_by_key(|notice| (notice.at, notice.kind));
    Ok(notices)
}
