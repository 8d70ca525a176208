//! A second factor beside the password: a code that a phone shows, and recovery codes for when the phone is lost.
use super::totp::{base32, step_of};
use super::{SESSION_HOURS, Token, attempts, session};
use crate::audit::{self, ShopEvent};
use crate::entity::{second_factor as table, session as session_table, user};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::{Duration, Utc};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{ExprTrait, OnConflict};
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QuerySelect};
use std::collections::HashSet;
use uuid::Uuid;
use velvet_dial_core::hex::hex;

/// Recovery codes that somebody gets.
pub const RECOVERY_CODES: usize = 10;

/// What a phone is given.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetUp {
    /// To be typed.
    pub secret: String,
    /// To be read by a camera.
    pub uri: String,
}

/// How somebody is protected.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SecondFactor {
    /// Recovery codes that are left.
    pub codes_left: usize,
}

/// What became of a code at the door.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Passed {
    /// They are in.
    In,
    /// It is wrong, or was used already.
    Wrong,
    /// Too many tries: seconds to wait.
    Wait(u64),
    /// No session waits for a code.
    Nobody,
}

async fn row(db: &Connection, user: Uuid) -> Result<Option<table::Model>, StoreError> {
    Ok(table::Entity::find_by_id(user).one(db).await?)
}

/// Whether a user has one that counts.
pub(super) async fn counts(db: &Connection, user: Uuid) -> Result<bool, StoreError> {
    Ok(row(db, user).await?.is_some_and(|row| row.confirmed_at.is_some()))
}

/// The viewer's own; none where they have none.
pub async fn second_factor(db: &Connection, viewer: &Viewer) -> Result<Option<SecondFactor>, StoreError> {
    let row = row(db, viewer.user).await?.filter(|row| row.confirmed_at.is_some());
    Ok(row.map(|row| SecondFactor { codes_left: row.recovery.split_whitespace().count() }))
}

/// Those of the viewer's shop who have one.
pub async fn with_second_factor(db: &Connection, viewer: &Viewer) -> Result<HashSet<Uuid>, StoreError> {
    let own = table::Entity::find().inner_join(user::Entity).filter(user::Column::ShopId.eq(viewer.shop));
    let own = own.filter(table::Column::ConfirmedAt.is_not_null()).select_only().column(table::Column::UserId);
    Ok(own.into_tuple().all(db).await?.into_iter().collect())
}

/// A new secret for the viewer's phone. It counts once a code of it was typed; one that counts already is left alone.
pub async fn begin_second_factor(db: &Connection, viewer: &Viewer, shop: &str) -> Result<Option<SetUp>, StoreError> {
    if counts(db, viewer.user).await? {
        return Ok(None);
    }
    let bytes = secret::bytes::<20>()?;
    let row = table::ActiveModel {
        user_id: Set(viewer.user),
        secret: Set(bytes.to_vec()),
        confirmed_at: Set(None),
        last_step: Set(0),
        recovery: Set(String::new()),
    };
    use table::Column::{LastStep, Recovery, Secret};
    let again = OnConflict::column(table::Column::UserId).update_columns([Secret, LastStep, Recovery]).to_owned();
    table::Entity::insert(row).on_conflict(again).exec_without_returning(db).await?;
    Ok(Some(set_up(&bytes, &viewer.shown_name, shop)))
}

/// The same once more, for who mistyped the first code.
pub async fn second_factor_again(db: &Connection, viewer: &Viewer, shop: &str) -> Result<Option<SetUp>, StoreError> {
    let row = row(db, viewer.user).await?.filter(|row| row.confirmed_at.is_none());
    Ok(row.map(|row| set_up(&row.secret, &viewer.shown_name, shop)))
}

fn set_up(bytes: &[u8], name: &str, shop: &str) -> SetUp {
    let plain = |text: &str| url::form_urlencoded::byte_serialize(text.as_bytes()).collect::<String>().replace('+', "%20");
    let secret = base32(bytes);
    let uri = format!("otpauth://totp/{}:{}?secret={secret}&issuer={}", plain(shop), plain(name), plain(shop));
    SetUp { secret, uri }
}

/// Makes it count, once the first code is right: the recovery codes, which are kept nowhere; none where the code is wrong. Every other session ends.
pub async fn confirm_second_factor(
    db: &Connection,
    viewer: &Viewer,
    token: &Token,
    typed: &str,
) -> Result<Option<Vec<String>>, StoreError> {
    let Some(row) = row(db, viewer.user).await?.filter(|row| row.confirmed_at.is_none()) else { return Ok(None) };
    let Some(step) = step_of(&row.secret, &digits(typed), Utc::now().timestamp(), row.last_step) else { return Ok(None) };
    let codes: Vec<String> = (0..RECOVERY_CODES).map(|_| secret::new::<8>()).collect::<Result<_, _>>()?;
    let confirmed = table::ActiveModel {
        user_id: Set(viewer.user),
        confirmed_at: Set(Some(now())),
        last_step: Set(step),
        recovery: Set(codes.iter().map(|code| kept(code)).collect::<Vec<_>>().join(" ")),
        ..Default::default()
    };
    confirmed.update(db).await?;
    audit::note(db, viewer, &ShopEvent::SecondFactor { on: true }).await?;
    session::end_others(db, viewer.user, token).await?;
    Ok(Some(codes.iter().map(|code| grouped(code)).collect()))
}

/// The viewer goes without from now on, where the code is right.
pub async fn remove_second_factor(db: &Connection, viewer: &Viewer, typed: &str) -> Result<Passed, StoreError> {
    let passed = try_code(db, viewer.user, typed).await?;
    if passed == Passed::In {
        table::Entity::delete_by_id(viewer.user).exec(db).await?;
        audit::note(db, viewer, &ShopEvent::SecondFactor { on: false }).await?;
    }
    Ok(passed)
}

/// Takes it from a user by their sign-in name, for who lost phone and codes; false where there is nobody of that name.
pub async fn take_second_factor(db: &Connection, sign_in: &str) -> Result<bool, StoreError> {
    let Some(user) = super::named(db, sign_in).await? else { return Ok(false) };
    table::Entity::delete_by_id(user.id).exec(db).await?;
    Ok(true)
}

/// Whether a session waits for a code.
pub async fn awaits_code(db: &Connection, token: &Token) -> Result<bool, StoreError> {
    Ok(session::waiting(db, token).await?.is_some())
}

/// Lets the session of a token in, where the code is right.
pub async fn pass_code(db: &Connection, token: &Token, typed: &str) -> Result<Passed, StoreError> {
    let Some(waiting) = session::waiting(db, token).await? else { return Ok(Passed::Nobody) };
    let passed = try_code(db, waiting.user_id, typed).await?;
    if passed == Passed::In {
        let open = session_table::ActiveModel {
            id: Set(waiting.id),
            awaits_code: Set(Some(false)),
            expires_at: Set(now() + Duration::hours(SESSION_HOURS)),
            ..Default::default()
        };
        open.update(db).await?;
    }
    Ok(passed)
}

/// One try at a code of a user: of the phone, or a recovery code, which is then gone. Each counts once, however many servers are asked at the same moment.
async fn try_code(db: &Connection, user: Uuid, typed: &str) -> Result<Passed, StoreError> {
    if let Some(seconds) = attempts::code_wait_s(db, user).await? {
        return Ok(Passed::Wait(seconds));
    }
    let Some(row) = row(db, user).await?.filter(|row| row.confirmed_at.is_some()) else { return Ok(Passed::Wrong) };
    let typed = digits(typed);
    let changed = if let Some(step) = step_of(&row.secret, &typed, Utc::now().timestamp(), row.last_step) {
        let used = table::ActiveModel { last_step: Set(step), ..Default::default() };
        table::Entity::update_many().set(used).filter(table::Column::UserId.eq(user).and(table::Column::LastStep.lt(step)))
    } else {
        let (gone, left): (Vec<&str>, Vec<&str>) = row.recovery.split_whitespace().partition(|code| *code == kept(&typed));
        if gone.is_empty() {
            return Ok(Passed::Wrong);
        }
        let used = table::ActiveModel { recovery: Set(left.join(" ")), ..Default::default() };
        table::Entity::update_many().set(used).filter(table::Column::UserId.eq(user).and(table::Column::Recovery.eq(&row.recovery)))
    };
    Ok(if changed.exec(db).await?.rows_affected == 1 { Passed::In } else { Passed::Wrong })
}

/// What somebody typed, without the gaps and dashes that make it readable.
fn digits(typed: &str) -> String {
    typed.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_lowercase()
}

/// What is kept of a recovery code.
fn kept(code: &str) -> String {
    hex(&secret::digest(code))
}

/// “3f0a-91bc-44de-0217”.
fn grouped(code: &str) -> String {
    let letters: Vec<char> = code.chars().collect();
    letters.chunks(4).map(String::from_iter).collect::<Vec<_>>().join("-")
}
