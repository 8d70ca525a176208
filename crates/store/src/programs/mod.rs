//! Other programs that work with a shop: their tokens, what they may do, and as whom they write.
//!
//! A program writes as a user of the shop who can never sign in, so the history names it as it names a person, and the table of roles holds for it. Its scopes narrow
//! that further.
mod answers;
mod deliveries;

pub use answers::{Claim, claim, keep_answer, release};
pub(crate) use deliveries::tell;
pub use deliveries::{Delivery, Due, HookEvent, answered, deliveries, due, send_again};

use crate::accounts::viewer;
use crate::audit::{self, ShopEvent};
use crate::entity::{program, shop, user};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::{Duration, NaiveDateTime};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, TransactionTrait};
use uuid::Uuid;
use velvet_dial_core::rights::{Role, Scope};

/// When a token was used last is noted to the minute.
const NOTED_EVERY: Duration = Duration::minutes(1);
/// Every token begins so: who finds one knows what it is.
const PREFIX: &str = "vdt_";

/// How the sign-in name of a program's user begins, by which nobody signs in.
pub(crate) const SIGNS_IN_AS: &str = "program ";

/// A program of a shop.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Program {
    /// Key.
    pub id: Uuid,
    /// Its name, as it is in the history.
    pub name: String,
    /// What it is in the shop.
    pub role: Role,
    /// What its token opens.
    pub scopes: Vec<Scope>,
    /// It has to do with nothing but the jobs that it opened.
    pub own_jobs_only: bool,
    /// When its token was made, UTC.
    pub made_at: NaiveDateTime,
    /// When it was used last, UTC.
    pub last_used_at: Option<NaiveDateTime>,
    /// Where its events are sent.
    pub hook_url: Option<String>,
}

/// A program that is to be let in.
#[derive(Debug, Clone, Copy)]
pub struct NewProgram<'a> {
    /// Its name.
    pub name: &'a str,
    /// What it is in the shop; never an owner.
    pub role: Role,
    /// What its token opens.
    pub scopes: &'a [Scope],
    /// It has to do with nothing but the jobs that it opens.
    pub own_jobs_only: bool,
}

/// A program that asks, and as whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Caller {
    /// The program.
    pub program: Program,
    /// As whom it writes.
    pub viewer: Viewer,
}

impl Caller {
    /// Whether its token opens something, and its role may do it.
    pub fn may(&self, scope: Scope) -> bool {
        self.program.scopes.contains(&scope) && self.viewer.role.may_do(scope.right())
    }

    /// Whose jobs it has to do with: its own user's, or everybody's.
    pub fn opened_by(&self) -> Option<Uuid> {
        self.program.own_jobs_only.then_some(self.viewer.user)
    }
}

/// Lets a program in; its token, which is kept nowhere. An owner's role is never given: a token is found in files.
pub async fn add(db: &Connection, owner: &Viewer, new: &NewProgram<'_>) -> Result<String, StoreError> {
    let token = format!("{PREFIX}{}", secret::new::<24>()?);
    let (id, user_id, made_at) = (Uuid::now_v7(), Uuid::now_v7(), now());
    let role = if new.role == Role::Owner { Role::Foreman } else { new.role };
    let transaction = db.begin().await?;
    // A program of the demo shop is refused where the demo is not served, as its people are.
    let demo = user::Entity::find_by_id(owner.user).one(&transaction).await?.and_then(|row| row.demo);
    let row = user::ActiveModel {
        id: Set(user_id),
        shop_id: Set(owner.shop),
        sign_in: Set(format!("{SIGNS_IN_AS}{id}")),
        shown_name: Set(new.name.to_owned()),
        // No password has this hash, and who is removed cannot sign in.
        password_hash: Set(String::new()),
        cautions_read_at: Set(Some(made_at)),
        created_at: Set(made_at),
        demo: Set(demo),
        removed_at: Set(Some(made_at)),
        role: Set(Some(role.id().to_owned())),
        pin_hash: Set(None),
    };
    row.insert(&transaction).await?;
    let row = program::ActiveModel {
        id: Set(id),
        token_hash: Set(secret::digest(&token)),
        shop_id: Set(owner.shop),
        user_id: Set(user_id),
        scopes: Set(new.scopes.iter().map(|scope| scope.id()).collect::<Vec<_>>().join(" ")),
        own_jobs_only: Set(new.own_jobs_only),
        made_by: Set(owner.user),
        made_at: Set(made_at),
        revoked_at: Set(None),
        last_used_at: Set(None),
        hook_url: Set(None),
        hook_secret: Set(None),
    };
    row.insert(&transaction).await?;
    let event = ShopEvent::ProgramAdded { name: new.name.to_owned(), scopes: new.scopes.to_vec() };
    audit::note(&transaction, owner, &event).await?;
    transaction.commit().await?;
    Ok(token)
}

fn of_row(mut row: program::ModelEx) -> (Program, Option<Viewer>) {
    let viewer = std::mem::take(&mut row.user).into_option().map(viewer);
    let program = Program {
        id: row.id,
        name: viewer.as_ref().map(|viewer| viewer.shown_name.clone()).unwrap_or_default(),
        role: viewer.as_ref().map_or(Role::Reader, |viewer| viewer.role),
        scopes: row.scopes.split(' ').filter_map(Scope::parse).collect(),
        own_jobs_only: row.own_jobs_only,
        made_at: row.made_at,
        last_used_at: row.last_used_at,
        hook_url: row.hook_url,
    };
    (program, viewer)
}

/// The programs of the viewer's shop whose token opens something, by the time they were let in.
pub async fn all(db: &Connection, viewer: &Viewer) -> Result<Vec<Program>, StoreError> {
    let own = program::Entity::load()
        .filter(program::Column::ShopId.eq(viewer.shop))
        .filter(program::Column::RevokedAt.is_null())
        .order_by_asc(program::Column::MadeAt)
        .with((user::Entity, shop::Entity));
    Ok(own.all(db).await?.into_iter().map(|row| of_row(row).0).collect())
}

/// One of them.
pub async fn one(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<Program, StoreError> {
    all(db, viewer).await?.into_iter().find(|program| program.id == id).ok_or(StoreError::NotFound)
}

/// Takes a program's token away: it opens nothing from this moment, and its events are sent nowhere.
pub async fn revoke(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    let program = one(db, viewer, id).await?;
    let over = program::ActiveModel { id: Set(id), revoked_at: Set(Some(now())), ..Default::default() };
    over.update(db).await?;
    audit::note(db, viewer, &ShopEvent::ProgramRevoked { name: program.name }).await
}

/// Says where a program's events are sent, empty for nowhere; the secret by which they are signed, which is shown once.
pub async fn set_hook(db: &Connection, viewer: &Viewer, id: Uuid, url: &str) -> Result<Option<String>, StoreError> {
    let program = one(db, viewer, id).await?;
    let secret = if url.is_empty() { None } else { Some(secret::new::<24>()?) };
    let hook_url = (!url.is_empty()).then(|| url.to_owned());
    let row = program::ActiveModel { id: Set(id), hook_url: Set(hook_url), hook_secret: Set(secret.clone()), ..Default::default() };
    row.update(db).await?;
    audit::note(db, viewer, &ShopEvent::HookChanged { name: program.name, url: url.to_owned() }).await?;
    Ok(secret)
}

/// The program of a token; none where the token opens nothing. `demo` lets those of the demo shop in.
pub async fn caller(db: &Connection, token: &str, demo: bool) -> Result<Option<Caller>, StoreError> {
    let row = program::Entity::load()
        .filter(program::Column::TokenHash.eq(secret::digest(token)))
        .filter(program::Column::RevokedAt.is_null())
        .with((user::Entity, shop::Entity))
        .one(db)
        .await?;
    let admitted = |row: &program::ModelEx| demo || row.user.as_ref().is_none_or(|user| user.demo != Some(true));
    let Some(row) = row.filter(admitted) else { return Ok(None) };
    let (id, last_used_at) = (row.id, row.last_used_at);
    if last_used_at.is_none_or(|last| last < now() - NOTED_EVERY) {
        let noted = program::ActiveModel { last_used_at: Set(Some(now())), ..Default::default() };
        program::Entity::update_many().set(noted).filter(program::Column::Id.eq(id)).exec(db).await?;
    }
    let (program, viewer) = of_row(row);
    Ok(viewer.map(|viewer| Caller { program, viewer }))
}

/// Forgets what no longer holds: answers that nobody asks for again, and what was sent long ago.
pub async fn purge(db: &Connection) -> Result<(), StoreError> {
    answers::purge(db).await?;
    deliveries::purge(db).await
}
