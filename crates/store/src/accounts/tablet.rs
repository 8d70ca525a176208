//! Tablets that a shop shares. A browser that an owner enrolled is one: on it people change by a PIN, each with their own rights, and never with an owner's.
use super::{Token, attempts, password, session};
use crate::audit::{self, ShopEvent};
use crate::entity::{tablet, user};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder};
use uuid::Uuid;

/// Digits of a PIN.
pub const PIN_DIGITS: std::ops::RangeInclusive<usize> = 4..=8;
/// A session by PIN lasts a long shift.
pub(super) const SHIFT_HOURS: i64 = 12;

/// A tablet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tablet {
    /// Key.
    pub id: Uuid,
    /// Its shop.
    pub shop: Uuid,
    /// What it is called.
    pub name: String,
    /// Since when it is enrolled, UTC.
    pub enrolled_at: NaiveDateTime,
}

/// What became of a PIN that was typed.
#[derive(Debug)]
pub enum ByPin {
    /// They are in.
    In(Token),
    /// It is not theirs.
    Wrong,
    /// Too many tries: so many seconds.
    Wait(u64),
}

/// Why a PIN is not taken; none when it is.
pub fn pin_complaint(pin: &str) -> Option<&'static str> {
    let digits: Vec<u8> = pin.bytes().collect();
    let steps = |by: i16| digits.array_windows().all(|[a, b]| i16::from(*b) - i16::from(*a) == by);
    if !PIN_DIGITS.contains(&digits.len()) || !digits.iter().all(u8::is_ascii_digit) {
        return Some("PIN: four to eight digits.");
    }
    [0, 1, -1].into_iter().any(steps).then_some("PIN: not the same digit again and again, and no digits in a row.")
}

/// Enrols the browser that asks; what it keeps as its cookie.
pub async fn enrol(db: &Connection, viewer: &Viewer, name: &str) -> Result<String, StoreError> {
    let token = secret::new::<32>()?;
    let row = tablet::ActiveModel {
        id: Set(Uuid::now_v7()),
        token_hash: Set(secret::digest(&token)),
        shop_id: Set(viewer.shop),
        name: Set(name.to_owned()),
        enrolled_by: Set(viewer.user),
        enrolled_at: Set(now()),
        over_at: Set(None),
    };
    row.insert(db).await?;
    audit::note(db, viewer, &ShopEvent::TabletEnrolled { name: name.to_owned() }).await?;
    Ok(token)
}

fn of_row(row: tablet::Model) -> Tablet {
    Tablet { id: row.id, shop: row.shop_id, name: row.name, enrolled_at: row.enrolled_at }
}

/// The tablets of the viewer's shop.
pub async fn tablets(db: &Connection, viewer: &Viewer) -> Result<Vec<Tablet>, StoreError> {
    let own = tablet::Entity::find().filter(tablet::Column::ShopId.eq(viewer.shop)).filter(tablet::Column::OverAt.is_null());
    Ok(own.order_by_asc(tablet::Column::Name).all(db).await?.into_iter().map(of_row).collect())
}

/// The tablet that a browser is; none where it is none, or no more.
pub async fn tablet_of(db: &Connection, token: &str) -> Result<Option<Tablet>, StoreError> {
    let row = tablet::Entity::find().filter(tablet::Column::TokenHash.eq(secret::digest(token))).filter(tablet::Column::OverAt.is_null());
    Ok(row.one(db).await?.map(of_row))
}

/// Shares a tablet no more: a lost one opens nothing, and who is signed in on it by PIN is out.
pub async fn unenrol(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    let row = tablet::Entity::find_by_id(id).filter(tablet::Column::ShopId.eq(viewer.shop)).one(db).await?.ok_or(StoreError::NotFound)?;
    tablet::ActiveModel { id: Set(id), over_at: Set(Some(now())), ..Default::default() }.update(db).await?;
    session::end_of_tablet(db, id).await?;
    audit::note(db, viewer, &ShopEvent::TabletUnenrolled { name: row.name }).await
}

/// Who can change to on a tablet: those of its shop who have a PIN, with their names.
pub async fn people_of_tablet(db: &Connection, tablet: &Tablet) -> Result<Vec<(Uuid, String)>, StoreError> {
    let own = user::Entity::find()
        .filter(user::Column::ShopId.eq(tablet.shop))
        .filter(user::Column::RemovedAt.is_null())
        .filter(user::Column::PinHash.is_not_null())
        .order_by_asc(user::Column::ShownName);
    Ok(own.all(db).await?.into_iter().map(|row| (row.id, row.shown_name)).collect())
}

/// The viewer has a PIN.
pub async fn has_pin(db: &Connection, viewer: &Viewer) -> Result<bool, StoreError> {
    Ok(user::Entity::find_by_id(viewer.user).one(db).await?.is_some_and(|row| row.pin_hash.is_some()))
}

/// Gives the viewer a PIN; false where the password is not theirs.
pub async fn set_pin(db: &Connection, viewer: &Viewer, (password, pin): (&str, &str)) -> Result<bool, StoreError> {
    let row = user::Entity::find_by_id(viewer.user).one(db).await?.ok_or(StoreError::NotFound)?;
    if !password::verify(password.to_owned(), Some(row.password_hash)).await? {
        return Ok(false);
    }
    let pin_hash = Some(password::hash(pin.to_owned()).await?);
    user::ActiveModel { id: Set(viewer.user), pin_hash: Set(pin_hash), ..Default::default() }.update(db).await?;
    audit::note(db, viewer, &ShopEvent::PinSet).await?;
    Ok(true)
}

/// Changes the person at a tablet. Guessing is slowed down by person and tablet, and by person wherever it is tried.
pub async fn by_pin(db: &Connection, tablet: &Tablet, who: Uuid, pin: &str, agent: &str, address: &str) -> Result<ByPin, StoreError> {
    if let Some(seconds) = attempts::pin_wait_s(db, who, tablet.id).await? {
        return Ok(ByPin::Wait(seconds));
    }
    let found = user::Entity::find_by_id(who).filter(user::Column::ShopId.eq(tablet.shop)).filter(user::Column::RemovedAt.is_null());
    let found = found.one(db).await?;
    let kept = found.as_ref().and_then(|user| user.pin_hash.clone());
    if !password::verify(pin.to_owned(), kept).await? {
        return Ok(ByPin::Wrong);
    }
    Ok(ByPin::In(session::open_on(db, who, Some(tablet.id), (agent, address), false).await?))
}

#[cfg(test)]
mod tests {
    use super::pin_complaint;

    #[test]
    fn a_pin_is_some_digits_and_none_that_everybody_tries_first() {
        for bad in ["", "123", "123456789", "12a4", "1111", "00000000", "1234", "4321", "98765"] {
            assert!(pin_complaint(bad).is_some(), "{bad}");
        }
        for good in ["1357", "2580", "90210", "73719264"] {
            assert_eq!(pin_complaint(good), None, "{good}");
        }
    }
}
