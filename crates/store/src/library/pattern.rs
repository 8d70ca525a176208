//! Known patterns of engine families.
use crate::entity::{engine, pattern as table, user};
use crate::{Connection, StoreError, Viewer, from_json, jobs, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, TransactionTrait};
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::experience::{KnownPattern, same_family};

/// A pattern of a family, by whom and since when.
#[derive(Debug, Clone, PartialEq)]
pub struct FamilyPattern {
    /// Key.
    pub id: Uuid,
    /// The family, in the shop's words.
    pub family: String,
    /// What is known.
    pub known: KnownPattern,
    /// Who entered it, and when, UTC.
    pub by: (String, NaiveDateTime),
}

/// The patterns that count, by family, the strongest first.
pub async fn patterns(db: &Connection, viewer: &Viewer) -> Result<Vec<FamilyPattern>, StoreError> {
    let rows = standing(viewer).order_by_asc(table::Column::Family).order_by_desc(table::Column::Times).find_also_related(user::Entity);
    let of = |(row, author): (table::Model, Option<user::Model>)| {
        let (id, by) = (row.id, (author.map(|author| author.shown_name).unwrap_or_default(), row.entered_at));
        let (family, known) = of_row(row);
        FamilyPattern { id, family, known, by }
    };
    Ok(rows.all(db).await?.into_iter().map(of).collect())
}

/// What counts, with its family, oldest first.
pub(crate) async fn standing_of_all(db: &impl ConnectionTrait, viewer: &Viewer) -> Result<Vec<(String, KnownPattern)>, StoreError> {
    let rows = standing(viewer).order_by_asc(table::Column::Id).all(db).await?;
    Ok(rows.into_iter().map(of_row).collect())
}

/// A pattern with its family.
fn of_row(row: table::Model) -> (String, KnownPattern) {
    (row.family, KnownPattern { cause: row.cause, times: row.times, cases: row.cases, source: row.source })
}

fn standing(viewer: &Viewer) -> sea_orm::Select<table::Entity> {
    table::Entity::find().filter(table::Column::ShopId.eq(viewer.shop)).filter(table::Column::RetiredAt.is_null())
}

/// What came of entering a pattern.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Entered {
    /// It counts.
    Stands,
    /// Its cause has one already.
    Twice,
    /// No engine is of this family.
    NoFamily,
}

/// Enters a pattern of a family, once a cause, and has its open jobs judged anew.
pub async fn add_pattern(db: &Connection, viewer: &Viewer, family: &str, known: &KnownPattern) -> Result<Entered, StoreError> {
    let transaction = db.begin().await?;
    if judge_anew(&transaction, viewer, family).await? == 0 {
        return Ok(Entered::NoFamily);
    }
    if standing_of_all(&transaction, viewer).await?.iter().any(|(of, other)| same_family(of, family) && other.cause == known.cause) {
        return Ok(Entered::Twice);
    }
    table::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(viewer.shop),
        family: Set(family.to_owned()),
        cause: Set(known.cause.clone()),
        times: Set(known.times),
        cases: Set(known.cases),
        source: Set(known.source.clone()),
        entered_by: Set(viewer.user),
        entered_at: Set(now()),
        retired_by: Set(None),
        retired_at: Set(None),
    }
    .insert(&transaction)
    .await?;
    transaction.commit().await?;
    Ok(Entered::Stands)
}

/// Takes a pattern back: it stays readable and counts no more.
pub async fn retire_pattern(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    let transaction = db.begin().await?;
    let row = standing(viewer).filter(table::Column::Id.eq(id)).one(&transaction).await?.ok_or(StoreError::NotFound)?;
    let family = row.family.clone();
    table::ActiveModel { id: Set(id), retired_by: Set(Some(viewer.user)), retired_at: Set(Some(now())), ..Default::default() }
        .update(&transaction)
        .await?;
    judge_anew(&transaction, viewer, &family).await?;
    Ok(transaction.commit().await?)
}

/// Has the open jobs on every engine of a family judged anew; how many engines that are.
async fn judge_anew(db: &impl ConnectionTrait, viewer: &Viewer, family: &str) -> Result<usize, StoreError> {
    let mut engines = 0;
    for engine in engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).all(db).await? {
        let card: Card = from_json("engine card", &engine.card)?;
        if card.family.is_some_and(|own| same_family(&own, family)) {
            jobs::resummarise(db, viewer, Some(engine.id)).await?;
            engines += 1;
        }
    }
    Ok(engines)
}
