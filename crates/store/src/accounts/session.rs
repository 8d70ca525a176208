//! The sessions of those who signed in, kept as the SHA-256 of a random token that only the browser has.
use super::tablet::SHIFT_HOURS;
use super::{normal_name, password, second_factor, viewer};
use crate::audit::{self, ShopEvent};
use crate::entity::{session, shop, user};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::{Duration, NaiveDateTime};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::ExprTrait;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder};
use uuid::Uuid;
use velvet_dial_core::rights::Role;

/// A session lasts a working week.
pub const SESSION_HOURS: i64 = 7 * 24;
/// A session waits so long for its second factor.
const CODE_LASTS: Duration = Duration::minutes(10);
/// Days that a session is remembered after its end: by them a user is known at an address.
const REMEMBERED_DAYS: i64 = 30;

/// A secret that the browser keeps in its cookie; never shown by Debug.
#[derive(Clone)]
pub struct Token(String);

impl Token {
    /// From a cookie.
    pub fn from_cookie(value: &str) -> Self {
        Self(value.to_owned())
    }

    /// For the cookie, and nowhere else.
    pub fn expose(&self) -> &str {
        &self.0
    }

    fn hash(&self) -> Vec<u8> {
        secret::digest(&self.0)
    }
}

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Token(…)")
    }
}

/// Who asks to be let in.
#[derive(Debug, Clone, Copy)]
pub struct Credentials<'a> {
    /// Sign-in name as typed.
    pub name: &'a str,
    /// Password as typed.
    pub password: &'a str,
    /// What the browser calls itself.
    pub agent: &'a str,
    /// Whence.
    pub address: &'a str,
    /// Users of the demo shop are let in.
    pub demo: bool,
}

/// A new session for who knows the password; `None` for a wrong pair, with the same work whether the name exists or not.
pub async fn sign_in(db: &Connection, credentials: &Credentials<'_>) -> Result<Option<Token>, StoreError> {
    let name = normal_name(credentials.name);
    let found = user::Entity::find().filter(user::Column::SignIn.eq(&name)).one(db).await?;
    // The database holds some names to be alike that a person does not.
    let found = found.filter(|user| normal_name(&user.sign_in) == name);
    let kept = found.as_ref().map(|user| user.password_hash.clone());
    let right = password::verify(credentials.password.to_owned(), kept).await?;
    let admitted = |user: &user::Model| right && user.removed_at.is_none() && (credentials.demo || user.demo != Some(true));
    let Some(user) = found.filter(admitted) else {
        return Ok(None);
    };
    let awaits_code = second_factor::counts(db, user.id).await?;
    open_on(db, user.id, None, (credentials.agent, credentials.address), awaits_code).await.map(Some)
}

/// A new session for a user who has just shown who they are.
pub async fn open_for(db: &Connection, user: Uuid, agent: &str, address: &str) -> Result<Token, StoreError> {
    open_on(db, user, None, (agent, address), false).await
}

/// The same on a tablet that the shop shares.
pub(super) async fn open_on(
    db: &Connection,
    user: Uuid,
    tablet: Option<Uuid>,
    (agent, address): (&str, &str),
    awaits_code: bool,
) -> Result<Token, StoreError> {
    let lasts = match tablet {
        _ if awaits_code => CODE_LASTS,
        Some(_) => Duration::hours(SHIFT_HOURS),
        None => Duration::hours(SESSION_HOURS),
    };
    let token = Token(secret::new::<32>()?);
    let agent = agent.chars().take(200).collect();
    session::ActiveModel {
        id: Set(Uuid::now_v7()),
        token_hash: Set(token.hash()),
        user_id: Set(user),
        agent: Set(agent),
        created_at: Set(now()),
        expires_at: Set(now() + lasts),
        awaits_code: Set(Some(awaits_code)),
        tablet_id: Set(tablet),
        revoked_at: Set(None),
        address: Set(Some(address.chars().take(60).collect())),
    }
    .insert(db)
    .await?;
    Ok(token)
}

/// Who holds a token, in one query; `None` when it is unknown, over or revoked, or its user was removed. `demo` lets the demo shop's users in.
pub async fn viewer_of(db: &Connection, token: &Token, demo: bool) -> Result<Option<Viewer>, StoreError> {
    let session = session::Entity::load()
        .filter(session::Column::TokenHash.eq(token.hash()))
        .filter(session::Column::RevokedAt.is_null())
        .filter(session::Column::ExpiresAt.gt(now()))
        .filter(is_open())
        .with((user::Entity, shop::Entity))
        .one(db)
        .await?;
    let Some(session) = session else { return Ok(None) };
    let since = session.created_at;
    let user = session.user.into_option().filter(|user| user.removed_at.is_none() && (demo || user.demo != Some(true)));
    let shared = session.tablet_id.is_some();
    Ok(user.map(|user| {
        let viewer = viewer(user);
        // A PIN is seen over a shoulder: it never opens what is an owner's alone.
        let role = if shared && viewer.role == Role::Owner { Role::Foreman } else { viewer.role };
        Viewer { since, role, ..viewer }
    }))
}

/// What waits for a code is no session yet. One of before there were codes waits for none.
fn is_open() -> sea_orm::sea_query::SimpleExpr {
    session::Column::AwaitsCode.is_null().or(session::Column::AwaitsCode.eq(false))
}

/// The session of a token that waits for a code.
pub(super) async fn waiting(db: &Connection, token: &Token) -> Result<Option<session::Model>, StoreError> {
    let own = session::Entity::find().filter(session::Column::TokenHash.eq(token.hash())).filter(session::Column::AwaitsCode.eq(true));
    Ok(own.filter(session::Column::RevokedAt.is_null()).filter(session::Column::ExpiresAt.gt(now())).one(db).await?)
}

/// Ends all sessions of a user but that of a token.
pub(super) async fn end_others(db: &Connection, user: Uuid, token: &Token) -> Result<(), StoreError> {
    revoke(db, session::Column::UserId.eq(user).and(session::Column::TokenHash.ne(token.hash()))).await
}

/// Ends the session of a token; with `everywhere`, all sessions of its user.
pub async fn sign_out(db: &Connection, token: &Token, everywhere: bool) -> Result<(), StoreError> {
    let Some(row) = session::Entity::find().filter(session::Column::TokenHash.eq(token.hash())).one(db).await? else {
        return Ok(());
    };
    let which = if everywhere { session::Column::UserId.eq(row.user_id) } else { session::Column::Id.eq(row.id) };
    revoke(db, which).await
}

/// A session that is not over.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenSession {
    /// Key.
    pub id: Uuid,
    /// What the browser called itself.
    pub agent: String,
    /// Whence.
    pub address: String,
    /// Since when, UTC.
    pub since: NaiveDateTime,
    /// It is the one that asks.
    pub this: bool,
}

/// The viewer's own open sessions, the newest first; `token` is the one that asks.
pub async fn sessions(db: &Connection, viewer: &Viewer, token: &Token) -> Result<Vec<OpenSession>, StoreError> {
    let open = session::Entity::find()
        .filter(session::Column::UserId.eq(viewer.user))
        .filter(session::Column::RevokedAt.is_null())
        .filter(session::Column::ExpiresAt.gt(now()))
        .filter(is_open())
        .order_by_desc(session::Column::CreatedAt);
    let this = token.hash();
    let one = |row: session::Model| OpenSession {
        id: row.id,
        this: row.token_hash == this,
        agent: row.agent,
        address: row.address.unwrap_or_default(),
        since: row.created_at,
    };
    Ok(open.all(db).await?.into_iter().map(one).collect())
}

/// Ends one of the viewer's own sessions.
pub async fn end_session(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    revoke(db, session::Column::Id.eq(id).and(session::Column::UserId.eq(viewer.user))).await
}

/// Gives the viewer another password and ends their other sessions; false where the old one is not theirs.
pub async fn change_password(db: &Connection, viewer: &Viewer, token: &Token, (old, new): (&str, &str)) -> Result<bool, StoreError> {
    let row = user::Entity::find_by_id(viewer.user).one(db).await?.ok_or(StoreError::NotFound)?;
    if !password::verify(old.to_owned(), Some(row.password_hash)).await? {
        return Ok(false);
    }
    let password_hash = password::hash(new.to_owned()).await?;
    user::ActiveModel { id: Set(viewer.user), password_hash: Set(password_hash), ..Default::default() }.update(db).await?;
    audit::note(db, viewer, &ShopEvent::PasswordChanged).await?;
    end_others(db, viewer.user, token).await?;
    Ok(true)
}

/// Ends all sessions that were opened on a tablet by PIN.
pub(super) async fn end_of_tablet(db: &Connection, tablet: Uuid) -> Result<(), StoreError> {
    revoke(db, session::Column::TabletId.eq(tablet)).await
}

/// Ends all sessions of a user.
pub(super) async fn end_all(db: &Connection, user: Uuid) -> Result<(), StoreError> {
    revoke(db, session::Column::UserId.eq(user)).await
}

/// Ends all sessions of everybody.
pub async fn end_every_session(db: &Connection) -> Result<(), StoreError> {
    revoke(db, session::Column::RevokedAt.is_null()).await
}

async fn revoke(db: &Connection, which: sea_orm::sea_query::SimpleExpr) -> Result<(), StoreError> {
    let revoked = session::ActiveModel { revoked_at: Set(Some(now())), ..Default::default() };
    session::Entity::update_many().set(revoked).filter(which).filter(session::Column::RevokedAt.is_null()).exec(db).await?;
    Ok(())
}

/// True when the user of a name has signed in from an address before.
pub(super) async fn known_at(db: &Connection, name: &str, address: &str) -> Result<bool, StoreError> {
    let before = session::Entity::find()
        .inner_join(user::Entity)
        .filter(user::Column::SignIn.eq(name))
        .filter(session::Column::Address.eq(address))
        .one(db)
        .await?;
    Ok(before.is_some())
}

/// Forgets sessions that have been over for a month.
pub(super) async fn purge(db: &Connection) -> Result<u64, StoreError> {
    let over = session::Column::ExpiresAt.lt(now() - Duration::days(REMEMBERED_DAYS));
    Ok(session::Entity::delete_many().filter(over).exec(db).await?.rows_affected)
}
