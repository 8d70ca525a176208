//! Shops, users, and the sessions of those who signed in.
//!
//! A password is kept as Argon2id with the crate's recommended cost; a session as the SHA-256 of a random token that only the browser has.
use crate::entity::{session, shop, user};
use crate::{Connection, StoreError, Viewer, now};
use argon2::Argon2;
use argon2::password_hash::{PasswordHasher, PasswordVerifier, phc::PasswordHash};
use chrono::Duration;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter};
use sha2::{Digest, Sha256};
use std::sync::LazyLock;
use tokio::sync::Semaphore;
use uuid::Uuid;

/// A session lasts a working week.
pub const SESSION_HOURS: i64 = 7 * 24;

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
        Sha256::digest(self.0.as_bytes()).to_vec()
    }
}

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Token(…)")
    }
}

/// A new shop.
pub async fn add_shop(db: &Connection, name: &str) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    shop::ActiveModel { id: Set(id), name: Set(name.to_owned()) }.insert(db).await?;
    Ok(id)
}

/// The shop of a name, made when there is none.
pub async fn shop_named(db: &Connection, name: &str) -> Result<Uuid, StoreError> {
    // The database holds some names to be alike that a person does not.
    let alike = shop::Entity::find().filter(shop::Column::Name.eq(name)).all(db).await?;
    match alike.into_iter().find(|shop| shop.name == name) {
        Some(found) => Ok(found.id),
        None => add_shop(db, name).await,
    }
}

/// Name of a viewer's shop.
pub async fn shop_name(db: &Connection, viewer: &Viewer) -> Result<String, StoreError> {
    shop::Entity::find_by_id(viewer.shop).one(db).await?.map(|shop| shop.name).ok_or(StoreError::NotFound)
}

/// True when nobody can sign in yet.
pub async fn nobody_yet(db: &Connection) -> Result<bool, StoreError> {
    Ok(user::Entity::find().count(db).await? == 0)
}

/// Adds a user; `None` when the sign-in name is taken.
pub async fn add_user(db: &Connection, shop: Uuid, sign_in: &str, shown_name: &str, password: &str) -> Result<Option<Viewer>, StoreError> {
    let password_hash = hash(password.to_owned()).await?;
    let row = user::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(shop),
        sign_in: Set(sign_in.to_owned()),
        shown_name: Set(shown_name.to_owned()),
        password_hash: Set(password_hash),
        cautions_read_at: Set(None),
        created_at: Set(now()),
    };
    match row.insert(db).await {
        Ok(row) => Ok(Some(viewer(row))),
        Err(error) if crate::stands_already(&error) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// A sign-in name as it is compared: without spaces round it, in small letters. What the database holds to be alike beyond that, accents say, is another name.
pub fn normal_name(name: &str) -> String {
    name.trim().to_lowercase()
}

/// The hash that is tried where there is no user: as much work as a real one.
static NOBODY: LazyLock<String> =
    LazyLock::new(|| Argon2::default().hash_password(b"nobody has this password").map(|hash| hash.to_string()).unwrap_or_default());

/// The user of a sign-in name and password, with a new session; `None` for a wrong pair, with the same work whether the name exists or not.
pub async fn sign_in(db: &Connection, name: &str, password: &str, agent: &str) -> Result<Option<Token>, StoreError> {
    let name = normal_name(name);
    let found = user::Entity::find().filter(user::Column::SignIn.eq(&name)).one(db).await?;
    let found = found.filter(|user| normal_name(&user.sign_in) == name);
    let kept = found.as_ref().map(|user| user.password_hash.clone());
    let right = verify(password.to_owned(), kept).await?;
    let Some(user) = found.filter(|_| right) else {
        return Ok(None);
    };
    let mut bytes = [0u8; 32];
    getrandom::fill(&mut bytes).map_err(|_| StoreError::Hash)?;
    let token = Token(bytes.iter().map(|byte| format!("{byte:02x}")).collect());
    let agent = agent.chars().take(200).collect();
    session::ActiveModel {
        id: Set(Uuid::now_v7()),
        token_hash: Set(token.hash()),
        user_id: Set(user.id),
        agent: Set(agent),
        created_at: Set(now()),
        expires_at: Set(now() + Duration::hours(SESSION_HOURS)),
        revoked_at: Set(None),
    }
    .insert(db)
    .await?;
    Ok(Some(token))
}

/// Who holds a token; `None` when it is unknown, over or revoked.
pub async fn viewer_of(db: &Connection, token: &Token) -> Result<Option<Viewer>, StoreError> {
    let session = session::Entity::find()
        .filter(session::Column::TokenHash.eq(token.hash()))
        .filter(session::Column::RevokedAt.is_null())
        .filter(session::Column::ExpiresAt.gt(now()))
        .one(db)
        .await?;
    let Some(session) = session else {
        return Ok(None);
    };
    Ok(user::Entity::find_by_id(session.user_id).one(db).await?.map(viewer))
}

/// Ends the session of a token; with `everywhere`, all sessions of its user.
pub async fn sign_out(db: &Connection, token: &Token, everywhere: bool) -> Result<(), StoreError> {
    let Some(row) = session::Entity::find().filter(session::Column::TokenHash.eq(token.hash())).one(db).await? else {
        return Ok(());
    };
    let which = if everywhere { session::Column::UserId.eq(row.user_id) } else { session::Column::Id.eq(row.id) };
    let revoked = session::ActiveModel { revoked_at: Set(Some(now())), ..Default::default() };
    session::Entity::update_many().set(revoked).filter(which).filter(session::Column::RevokedAt.is_null()).exec(db).await?;
    Ok(())
}

/// Notes that the user has read the cautions of first use.
pub async fn cautions_read(db: &Connection, viewer: &Viewer) -> Result<(), StoreError> {
    user::ActiveModel { id: Set(viewer.user), cautions_read_at: Set(Some(now())), ..Default::default() }.update(db).await?;
    Ok(())
}

fn viewer(row: user::Model) -> Viewer {
    Viewer { user: row.id, shop: row.shop_id, shown_name: row.shown_name, cautions_read: row.cautions_read_at.is_some() }
}

/// Hashing takes tens of milliseconds of a core and 19 MB: it is kept off the threads that serve, and never more of it at once than this, whoever knocks.
static HASHING: Semaphore = Semaphore::const_new(4);

async fn hash(password: String) -> Result<String, StoreError> {
    let _turn = HASHING.acquire().await.map_err(|_| StoreError::Hash)?;
    tokio::task::spawn_blocking(move || Argon2::default().hash_password(password.as_bytes()).map(|hash| hash.to_string()))
        .await
        .map_err(|_| StoreError::Hash)?
        .map_err(|_| StoreError::Hash)
}

/// Whether a password is that of a kept hash; without one the same work says no.
async fn verify(password: String, kept: Option<String>) -> Result<bool, StoreError> {
    let _turn = HASHING.acquire().await.map_err(|_| StoreError::Hash)?;
    tokio::task::spawn_blocking(move || {
        let (known, kept) = (kept.is_some(), kept.unwrap_or_else(|| NOBODY.clone()));
        known & PasswordHash::new(&kept).is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok())
    })
    .await
    .map_err(|_| StoreError::Hash)
}
