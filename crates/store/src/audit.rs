//! Who changed what, and when: the entries of all jobs and what was changed in the shop itself, in one order.
use crate::entity::{entry, job, shop, shop_event, user, vehicle};
use crate::jobs::{Body, Entry};
use crate::{Connection, StoreError, Viewer, from_json, json, now};
use chrono::{DateTime, NaiveDateTime, SecondsFormat, Utc};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait};
use serde::{Deserialize, Serialize};
use std::cmp::Reverse;
use uuid::Uuid;
use velvet_dial_core::record::Signed;
use velvet_dial_core::rights::{Right, Role, Scope};
use velvet_dial_core::signing::Signer;

/// Who did what nobody of the shop did.
const SERVER: &str = "who runs the server";

/// Something that was changed in the shop itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum ShopEvent {
    /// Name, hours, money: each change as it is read.
    Settings {
        /// “Opens: 08:00 → 07:30”.
        changes: Vec<String>,
    },
    /// The shop's way where mechanics differ; an empty way leaves it open.
    Way {
        /// The question, by its id.
        question: String,
        /// The way, by its id.
        way: String,
    },
    /// Somebody was invited.
    Invited {
        /// Who.
        who: String,
        /// As what.
        role: Role,
    },
    /// An invitation was withdrawn.
    InvitationWithdrawn {
        /// Whose.
        who: String,
    },
    /// Somebody who was invited came.
    Joined {
        /// As what.
        role: Role,
    },
    /// Somebody has another role.
    RoleChanged {
        /// Who.
        who: String,
        /// Before.
        from: Role,
        /// Now.
        to: Role,
    },
    /// Somebody may sign in no more.
    Removed {
        /// Who.
        who: String,
    },
    /// Somebody changed their own password.
    PasswordChanged,
    /// Somebody has a second factor, or has none any more.
    SecondFactor {
        /// They have one.
        on: bool,
    },
    /// Somebody has a PIN, or another one.
    PinSet,
    /// A tablet is shared from now on.
    TabletEnrolled {
        /// Which.
        name: String,
    },
    /// A tablet is shared no more.
    TabletUnenrolled {
        /// Which.
        name: String,
    },
    /// Another program has a token of the shop.
    ProgramAdded {
        /// Which.
        name: String,
        /// What its token opens.
        scopes: Vec<Scope>,
    },
    /// A program's token opens nothing any more.
    ProgramRevoked {
        /// Which.
        name: String,
    },
    /// A program's events are sent to another address, or to none.
    HookChanged {
        /// Which.
        name: String,
        /// Where to; empty where they are sent nowhere.
        url: String,
    },
    /// A foreman answered what somebody had asked for.
    Answered {
        /// The job's number.
        job: i64,
        /// Who had asked.
        who: String,
        /// For which right.
        right: Right,
        /// With a yes.
        granted: bool,
    },
    /// The database was put back from a backup.
    Restored {
        /// When that backup began.
        from: DateTime<Utc>,
        /// The moment until which the binary log was played back after it; none where it was not.
        until: Option<DateTime<Utc>>,
        /// The server's signature of [`restored_text`].
        signed: Signed,
    },
    /// A row of a later version, or a damaged one.
    #[serde(skip)]
    Unreadable,
}

/// Notes what a viewer changed in their shop.
pub(crate) async fn note(db: &impl ConnectionTrait, viewer: &Viewer, event: &ShopEvent) -> Result<(), StoreError> {
    let row = shop_event::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(viewer.shop),
        by_user: Set(viewer.user),
        at: Set(now()),
        body: Set(json("shop event", event)?),
    };
    row.insert(db).await?;
    Ok(())
}

/// What is signed when a shop's database was put back.
fn restored_text(shop: Uuid, from: DateTime<Utc>, until: Option<DateTime<Utc>>) -> String {
    let moment = |at: DateTime<Utc>| at.to_rfc3339_opts(SecondsFormat::Micros, true);
    format!("restored {shop} from {} until {}", moment(from), until.map_or("the backup".to_owned(), moment))
}

/// Notes in every shop that the database was put back, by whom, and from when; signed by the server.
pub async fn note_restored(
    db: &Connection,
    by: &Viewer,
    from: DateTime<Utc>,
    until: Option<DateTime<Utc>>,
    server: &Signer,
) -> Result<(), StoreError> {
    for shop in shop::Entity::find().filter(shop::Column::PracticeOf.is_null()).all(db).await? {
        let signed = server.sign(&restored_text(shop.id, from, until));
        note(db, &Viewer { shop: shop.id, ..by.clone() }, &ShopEvent::Restored { from, until, signed }).await?;
    }
    Ok(())
}

/// Notes of a viewer's shop that the database was put back which the signature does not fit: when each was written.
pub async fn changed_restorings(db: &Connection, viewer: &Viewer) -> Result<Vec<NaiveDateTime>, StoreError> {
    let rows = shop_event::Entity::find().filter(shop_event::Column::ShopId.eq(viewer.shop));
    let rows = rows.filter(shop_event::Column::Body.contains("\"restored\"")).all(db).await?;
    let changed = rows.iter().filter(|row| match serde_json::from_str(&row.body) {
        Ok(ShopEvent::Restored { from, until, signed }) => !signed.holds(&restored_text(viewer.shop, from, until)),
        _ => false,
    });
    Ok(changed.map(|row| row.at).collect())
}

/// Which of it.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// By whom.
    pub by: Option<Uuid>,
    /// Of this job alone.
    pub job: Option<i64>,
    /// Of the shop itself alone.
    pub of_shop: bool,
    /// From then on, UTC.
    pub from: Option<NaiveDateTime>,
    /// Until then, UTC.
    pub until: Option<NaiveDateTime>,
    /// Older than this line.
    pub before: Option<Uuid>,
}

/// What a line tells.
#[derive(Debug, Clone, PartialEq)]
pub enum Of {
    /// An entry of a job.
    Job {
        /// Its number.
        number: i64,
        /// Its plate.
        tag: String,
        /// What the entry says.
        body: Box<Body>,
        /// It takes the place of another.
        corrects: bool,
    },
    /// The shop itself.
    Shop(ShopEvent),
}

/// A line.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// Key, in the order in which lines were written.
    pub id: Uuid,
    /// When, UTC.
    pub at: NaiveDateTime,
    /// By whom.
    pub by: String,
    /// What.
    pub of: Of,
}

/// The lines that are asked for, the newest first, at most so many.
pub async fn lines(db: &Connection, viewer: &Viewer, asked: &Asked, most: u64) -> Result<Vec<Line>, StoreError> {
    let mut all = if asked.of_shop { Vec::new() } else { of_jobs(db, viewer, asked, most).await? };
    if asked.job.is_none() {
        all.extend(of_shop(db, viewer, asked, most).await?);
    }
    all.sort_by_key(|line| Reverse(line.id));
    all.truncate(most as usize);
    Ok(all)
}

async fn of_jobs(db: &Connection, viewer: &Viewer, asked: &Asked, most: u64) -> Result<Vec<Line>, StoreError> {
    let mut own = job::Entity::find().select_only().column(job::Column::Id).filter(job::Column::ShopId.eq(viewer.shop));
    if let Some(number) = asked.job {
        own = own.filter(job::Column::Number.eq(number));
    }
    let mut rows = entry::Entity::find().select_only().column(entry::Column::Id).filter(entry::Column::JobId.in_subquery(own.into_query()));
    if let Some(by) = asked.by {
        rows = rows.filter(entry::Column::AuthorId.eq(by));
    }
    if let Some(from) = asked.from {
        rows = rows.filter(entry::Column::WrittenAt.gte(from));
    }
    if let Some(until) = asked.until {
        rows = rows.filter(entry::Column::WrittenAt.lt(until));
    }
    if let Some(before) = asked.before {
        rows = rows.filter(entry::Column::Id.lt(before));
    }
    let ids: Vec<Uuid> = rows.order_by_desc(entry::Column::Id).limit(most).into_tuple().all(db).await?;
    let rows =
        entry::Entity::load().filter(entry::Column::Id.is_in(ids)).with(user::Entity).with((job::Entity, vehicle::Entity)).all(db).await?;
    let line = |mut row: entry::ModelEx| {
        let job = std::mem::take(&mut row.job).into_option()?;
        let number = job.number;
        let tag = job.vehicle.into_option().map(|vehicle| vehicle.tag).unwrap_or_default();
        let entry = Entry::of_row(row);
        let of = Of::Job { number, tag, corrects: entry.supersedes.is_some(), body: Box::new(entry.body) };
        Some(Line { id: entry.id, at: entry.written_at, by: entry.author_name, of })
    };
    Ok(rows.into_iter().filter_map(line).collect())
}

async fn of_shop(db: &Connection, viewer: &Viewer, asked: &Asked, most: u64) -> Result<Vec<Line>, StoreError> {
    let mut rows = shop_event::Entity::find().find_also_related(user::Entity).filter(shop_event::Column::ShopId.eq(viewer.shop));
    if let Some(by) = asked.by {
        rows = rows.filter(shop_event::Column::ByUser.eq(by));
    }
    if let Some(from) = asked.from {
        rows = rows.filter(shop_event::Column::At.gte(from));
    }
    if let Some(until) = asked.until {
        rows = rows.filter(shop_event::Column::At.lt(until));
    }
    if let Some(before) = asked.before {
        rows = rows.filter(shop_event::Column::Id.lt(before));
    }
    let rows = rows.order_by_desc(shop_event::Column::Id).limit(most).all(db).await?;
    let line = |(row, author): (shop_event::Model, Option<user::Model>)| Line {
        id: row.id,
        at: row.at,
        // Who put a database back that several shops are on is of one of them, and the others do not know them.
        by: author.filter(|author| author.shop_id == row.shop_id).map_or_else(|| SERVER.to_owned(), |author| author.shown_name),
        of: Of::Shop(from_json("shop event", &row.body).unwrap_or(ShopEvent::Unreadable)),
    };
    Ok(rows.into_iter().map(line).collect())
}
