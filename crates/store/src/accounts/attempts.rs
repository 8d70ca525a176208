//! Slows down guessing at passwords, for all servers on one database alike.
//!
//! Three things are slowed down, each by the generic cell rate algorithm: a name at an address, an address, and a name wherever it is tried from. The last is wide, and
//! does not count for who has signed in from that address before: a stranger elsewhere cannot lock a user out.
use super::{normal_name, session};
use crate::entity::attempt;
use crate::{Connection, StoreError, now};
use chrono::{NaiveDateTime, TimeDelta};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::OnConflict;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QuerySelect, TransactionTrait};
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// So many tries at once, then one a pace.
struct Pace {
    what: &'static str,
    burst: i32,
    seconds: i64,
}

const NAME_AT_ADDRESS: Pace = Pace { what: "name at address", burst: 5, seconds: 10 };
const ADDRESS: Pace = Pace { what: "address", burst: 20, seconds: 2 };
const NAME: Pace = Pace { what: "name", burst: 50, seconds: 10 };

const PIN_AT_TABLET: Pace = Pace { what: "pin at tablet", burst: 5, seconds: 20 };
const PIN: Pace = Pace { what: "pin", burst: 10, seconds: 60 };
const CODE: Pace = Pace { what: "code", burst: 6, seconds: 30 };
const LINK: Pace = Pace { what: "link", burst: 30, seconds: 4 };

/// Whole seconds to wait before the next try at a name from an address, or `None` when it may be made now; then it counts.
pub async fn wait_s(db: &Connection, name: &str, address: &str) -> Result<Option<u64>, StoreError> {
    let name = normal_name(name);
    let pair = format!("{address} {name}");
    for (pace, of) in [(&ADDRESS, address), (&NAME_AT_ADDRESS, &pair), (&NAME, &name)] {
        if pace.what == NAME.what && session::known_at(db, &name, address).await? {
            continue;
        }
        if let Some(seconds) = one_more(db, pace, of).await? {
            return Ok(Some(seconds));
        }
    }
    Ok(None)
}

/// The same for who opens or answers a customer's link from an address.
pub async fn link_wait_s(db: &Connection, address: &str) -> Result<Option<u64>, StoreError> {
    one_more(db, &LINK, address).await
}

/// The same for a PIN that is typed at a tablet: it is short, so this is slower.
pub(super) async fn pin_wait_s(db: &Connection, who: Uuid, tablet: Uuid) -> Result<Option<u64>, StoreError> {
    for (pace, of) in [(&PIN_AT_TABLET, format!("{who} {tablet}")), (&PIN, who.to_string())] {
        if let Some(seconds) = one_more(db, pace, &of).await? {
            return Ok(Some(seconds));
        }
    }
    Ok(None)
}

/// The same for the code of a second factor, wherever it is typed.
pub(super) async fn code_wait_s(db: &Connection, who: Uuid) -> Result<Option<u64>, StoreError> {
    one_more(db, &CODE, &who.to_string()).await
}

async fn one_more(db: &Connection, pace: &Pace, of: &str) -> Result<Option<u64>, StoreError> {
    const TRIES: usize = 4;
    crate::retried(TRIES, || one_more_once(db, pace, of)).await
}

async fn one_more_once(db: &Connection, pace: &Pace, of: &str) -> Result<Option<u64>, StoreError> {
    let key = Sha256::digest(format!("{} {of}", pace.what).as_bytes()).to_vec();
    let now = now();
    let transaction = db.begin().await?;
    let first = attempt::ActiveModel { id: Set(key.clone()), due: Set(now) };
    let stands = OnConflict::column(attempt::Column::Id).update_column(attempt::Column::Id).to_owned();
    attempt::Entity::insert(first).on_conflict(stands).exec_without_returning(&transaction).await?;
    let row = attempt::Entity::find_by_id(key.clone()).lock_exclusive().one(&transaction).await?.ok_or(StoreError::NotFound)?;
    let (due, wait) = next(row.due, now, pace);
    if wait.is_none() {
        attempt::ActiveModel { id: Set(key), due: Set(due) }.update(&transaction).await?;
    }
    transaction.commit().await?;
    Ok(wait)
}

/// When the try after this one is due, and whole seconds to wait for this one.
fn next(due: NaiveDateTime, now: NaiveDateTime, pace: &Pace) -> (NaiveDateTime, Option<u64>) {
    let one = TimeDelta::seconds(pace.seconds);
    let after = due.max(now) + one;
    let over = after - now - one * pace.burst;
    (after, (over > TimeDelta::zero()).then(|| over.num_seconds().unsigned_abs() + 1))
}

/// Forgets tries that no longer slow anything down.
pub(super) async fn purge(db: &Connection) -> Result<u64, StoreError> {
    Ok(attempt::Entity::delete_many().filter(attempt::Column::Due.lt(now())).exec(db).await?.rows_affected)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn so_many_tries_at_once_then_one_a_pace() {
        let start: NaiveDateTime = "2026-01-01T00:00:00".parse().unwrap_or_default();
        let (mut due, mut taken) = (start, 0);
        for second in 0..100 {
            let now = start + TimeDelta::seconds(second);
            let (after, wait) = next(due, now, &NAME_AT_ADDRESS);
            if let Some(wait) = wait {
                assert!((1..=10).contains(&wait));
                assert_eq!(next(due, now + TimeDelta::seconds(wait as i64), &NAME_AT_ADDRESS).1, None, "waiting as long as told is enough");
            } else {
                (due, taken) = (after, taken + 1);
            }
        }
        assert_eq!(taken, 5 + 9);
    }
}
