//! What a program was answered, by the key that it sent along: sent again it gets the same answer, and nothing is written twice.
use crate::entity::program_answer as table;
use crate::{Connection, StoreError, now};
use chrono::Duration;
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::ExprTrait;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter};
use uuid::Uuid;

/// An answer is kept for so long.
const KEPT: Duration = Duration::hours(24);
/// A request that nobody has answered for so long was cut off, and may be sent again.
const CUT_OFF: Duration = Duration::minutes(3);

/// What becomes of a request with a key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Claim {
    /// It is to be done.
    New,
    /// It was done, and this was the answer.
    Answered {
        /// Its status.
        status: u16,
        /// Its body.
        body: String,
    },
    /// Another request came with the same key.
    OfAnother,
    /// The same request is being answered at this moment.
    Busy,
}

/// Takes a key for a request, by the hash of what is asked.
pub async fn claim(db: &Connection, program: Uuid, key: &str, request_hash: &[u8]) -> Result<Claim, StoreError> {
    let row = table::ActiveModel {
        program_id: Set(program),
        idem_key: Set(key.to_owned()),
        request_hash: Set(request_hash.to_vec()),
        status: Set(None),
        body: Set(String::new()),
        at: Set(now()),
    };
    match table::Entity::insert(row).exec_without_returning(db).await {
        Ok(_) => return Ok(Claim::New),
        Err(error) if crate::stands_already(&error) => {}
        Err(error) => return Err(error.into()),
    }
    let Some(row) = table::Entity::find_by_id((program, key.to_owned())).one(db).await? else { return Ok(Claim::Busy) };
    if row.request_hash != request_hash {
        return Ok(Claim::OfAnother);
    }
    if let Some(status) = row.status {
        return Ok(Claim::Answered { status: status.unsigned_abs(), body: row.body });
    }
    // Of several that find it cut off, one takes it over.
    let again = table::ActiveModel { at: Set(now()), ..Default::default() };
    let cut_off = of(program, key).and(table::Column::Status.is_null()).and(table::Column::At.lt(now() - CUT_OFF));
    let taken = table::Entity::update_many().set(again).filter(cut_off).exec(db).await?;
    Ok(if taken.rows_affected == 1 { Claim::New } else { Claim::Busy })
}

/// Keeps what was answered.
pub async fn keep_answer(db: &Connection, program: Uuid, key: &str, status: u16, body: &str) -> Result<(), StoreError> {
    let row = table::ActiveModel {
        program_id: Set(program),
        idem_key: Set(key.to_owned()),
        status: Set(Some(status as i16)),
        body: Set(body.to_owned()),
        ..Default::default()
    };
    row.update(db).await?;
    Ok(())
}

/// Lets a key go that nothing was done for: it may be sent again.
pub async fn release(db: &Connection, program: Uuid, key: &str) -> Result<(), StoreError> {
    table::Entity::delete_many().filter(of(program, key)).exec(db).await?;
    Ok(())
}

fn of(program: Uuid, key: &str) -> sea_orm::sea_query::SimpleExpr {
    table::Column::ProgramId.eq(program).and(table::Column::IdemKey.eq(key))
}

pub(super) async fn purge(db: &Connection) -> Result<(), StoreError> {
    table::Entity::delete_many().filter(table::Column::At.lt(now() - KEPT)).exec(db).await?;
    Ok(())
}
