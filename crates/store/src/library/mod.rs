//! What a shop knows before a job: vehicles, engines with their sheets, instruments.
mod adapter_inventory;
mod page;
mod pattern;

pub use adapter_inventory::{GaugeCheck, ShopAdapter, adapters, add_adapter, add_gauge_check, gauge_checks, remove_adapter};

pub use page::{MOST_PAGES, add_page, page, pages};
pub(crate) use pattern::standing_of_all;
pub use pattern::{Entered, FamilyPattern, add_pattern, patterns, retire_pattern};

use crate::entity::{engine, instrument, revision, sheet, user, vehicle};
use crate::{Connection, StoreError, Viewer, from_json, jobs, json, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::LikeExpr;
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, FromQueryResult, QueryFilter, QueryOrder, QuerySelect, TransactionTrait,
};
use serde::de::DeserializeOwned;
use std::collections::HashSet;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::library_import::LibraryEngine;
use velvet_dial_core::limits::Sheet;

/// An engine with all revisions of its sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct Engine {
    /// Key.
    pub id: Uuid,
    /// Name in the shop.
    pub name: String,
    /// Card.
    pub card: Card,
    /// Revisions that count, in the order they came into force; of one day, in the order they were entered.
    pub sheets: Vec<Sheet>,
    /// All that were ever entered, those corrected since among them.
    pub revisions: Vec<Revision>,
}

impl Engine {
    /// As a file of engines has it.
    pub fn in_file(&self) -> LibraryEngine {
        LibraryEngine { name: self.name.clone(), card: self.card.clone(), sheets: self.sheets.clone() }
    }
}

/// A revision of a sheet as it was entered.
#[derive(Debug, Clone, PartialEq)]
pub struct Revision {
    /// Key.
    pub id: Uuid,
    /// What it says.
    pub sheet: Sheet,
    /// Another was entered in its place.
    pub corrected: bool,
    /// Who entered it, where that was asked for, and when, UTC.
    pub by: (String, NaiveDateTime),
}

/// A gauge of the shop.
#[derive(Debug, Clone, PartialEq)]
pub struct Gauge {
    /// Key.
    pub id: Uuid,
    /// Name in the shop.
    pub name: String,
    /// What it can tell.
    pub gauge: Instrument,
}

/// A vehicle.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Vehicle {
    /// Key.
    pub id: Uuid,
    /// Plate or fleet number.
    pub tag: String,
    /// What it is.
    pub description: String,
}

/// Adds an engine with the first revision of its sheet, both or neither; `None` when the name is taken.
pub async fn add_engine_with(
    db: &Connection,
    viewer: &Viewer,
    (name, card): (&str, &Card),
    sheet: Option<&Sheet>,
) -> Result<Option<Uuid>, StoreError> {
    let transaction = db.begin().await?;
    let Some(id) = add_engine(&transaction, viewer, name, card).await? else {
        return Ok(None);
    };
    if let Some(sheet) = sheet {
        add_sheet(&transaction, viewer, id, sheet, None).await?;
    }
    transaction.commit().await?;
    Ok(Some(id))
}

/// Adds an engine; `None` when the name is taken.
pub async fn add_engine(db: &impl ConnectionTrait, viewer: &Viewer, name: &str, card: &Card) -> Result<Option<Uuid>, StoreError> {
    let id = Uuid::now_v7();
    let row =
        engine::ActiveModel { id: Set(id), shop_id: Set(viewer.shop), name: Set(name.to_owned()), card: Set(json("engine card", card)?) };
    match row.insert(db).await {
        Ok(_) => Ok(Some(id)),
        Err(error) if crate::stands_already(&error) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// Adds a revision to an engine's sheet. With `corrects` it takes the place of one that was entered wrongly, which stays readable and is in force no more.
pub async fn add_sheet(
    db: &impl ConnectionTrait,
    viewer: &Viewer,
    engine: Uuid,
    revision: &Sheet,
    corrects: Option<Uuid>,
) -> Result<Uuid, StoreError> {
    own_engine(db, viewer, engine).await?;
    if let Some(corrected) = corrects {
        let of_engine = sheet::Entity::find_by_id(corrected).filter(sheet::Column::EngineId.eq(engine));
        of_engine.one(db).await?.ok_or(StoreError::NotFound)?;
    }
    let id = Uuid::now_v7();
    sheet::ActiveModel {
        id: Set(id),
        engine_id: Set(engine),
        source: Set(revision.source.clone()),
        in_force_from: Set(revision.in_force_from),
        points: Set(json("sheet", &revision.points)?),
        torques: Set((!revision.torques.is_empty()).then(|| revision.torques.join("\n"))),
        besides: Set((!revision.besides.is_silent()).then(|| json("sheet", &revision.besides)).transpose()?),
        entered_by: Set(viewer.user),
        entered_at: Set(now()),
        corrects: Set(corrects),
    }
    .insert(db)
    .await?;
    Ok(id)
}

/// Enters a revision of a sheet, and has the open jobs that it judges judged anew, both or neither.
pub async fn revise_sheet(
    db: &Connection,
    viewer: &Viewer,
    engine: Uuid,
    revision: &Sheet,
    corrects: Option<Uuid>,
) -> Result<Uuid, StoreError> {
    let transaction = db.begin().await?;
    let id = add_sheet(&transaction, viewer, engine, revision, corrects).await?;
    jobs::resummarise(&transaction, viewer, Some(engine)).await?;
    transaction.commit().await?;
    Ok(id)
}

/// Tells one state of an engine's name and card from another: whoever changes it says which one they saw.
pub fn state_of(name: &str, card: &Card) -> Result<String, StoreError> {
    Ok(jobs::digest(name, &[&json("engine card", card)?]))
}

/// What an engine's card or a gauge was until somebody changed it.
#[derive(Debug, Clone, PartialEq)]
pub struct Earlier<T> {
    /// Its name until then.
    pub name: String,
    /// What it was until then.
    pub was: T,
    /// Who changed it.
    pub by: String,
    /// When.
    pub until: NaiveDateTime,
}

/// The earlier states of an engine's card or of a gauge, the oldest first; none where it is as it was entered.
pub async fn earlier<T: DeserializeOwned>(db: &Connection, viewer: &Viewer, thing: Uuid) -> Result<Vec<Earlier<T>>, StoreError> {
    let rows = revision::Entity::find()
        .filter(revision::Column::ThingId.eq(thing))
        .find_also_related(user::Entity)
        .filter(user::Column::ShopId.eq(viewer.shop))
        .order_by_asc(revision::Column::ReplacedAt)
        .all(db)
        .await?;
    let of = |(row, who): (revision::Model, Option<user::Model>)| {
        let by = who.map(|who| who.shown_name).unwrap_or_default();
        Ok(Earlier { was: from_json("earlier state", &row.body)?, name: row.name, by, until: row.replaced_at })
    };
    rows.into_iter().map(of).collect()
}

/// Changes an engine's name and card; what they were stays readable. False when another engine has the name.
pub async fn change_engine(db: &Connection, viewer: &Viewer, id: Uuid, name: &str, card: &Card) -> Result<bool, StoreError> {
    let transaction = db.begin().await?;
    let old = own_engine(&transaction, viewer, id).await?;
    let card = json("engine card", card)?;
    if old.name == name && old.card == card {
        return Ok(true);
    }
    let changed = engine::ActiveModel { id: Set(id), name: Set(name.to_owned()), card: Set(card), ..Default::default() };
    match changed.update(&transaction).await {
        Err(error) if crate::stands_already(&error) => return Ok(false),
        other => other?,
    };
    keep_revision(&transaction, viewer, id, old.name, old.card).await?;
    jobs::resummarise(&transaction, viewer, Some(id)).await?;
    transaction.commit().await?;
    Ok(true)
}

async fn keep_revision(db: &impl ConnectionTrait, viewer: &Viewer, thing: Uuid, name: String, body: String) -> Result<(), StoreError> {
    let row = revision::ActiveModel {
        id: Set(Uuid::now_v7()),
        thing_id: Set(thing),
        name: Set(name),
        body: Set(body),
        replaced_by: Set(viewer.user),
        replaced_at: Set(now()),
    };
    row.insert(db).await?;
    Ok(())
}

/// One engine of the shop.
pub async fn engine(db: &impl ConnectionTrait, viewer: &Viewer, id: Uuid) -> Result<Engine, StoreError> {
    let own = engine::Entity::load().filter(engine::Column::ShopId.eq(viewer.shop)).filter(engine::Column::Id.eq(id));
    of_engine(own.with((sheet::Entity, user::Entity)).one(db).await?.ok_or(StoreError::NotFound)?)
}

/// An engine in a list.
#[derive(Debug, Clone, PartialEq, Eq, FromQueryResult)]
pub struct EngineName {
    /// Key.
    pub id: Uuid,
    /// Name in the shop.
    pub name: String,
}

/// Names and keys of the shop's engines.
pub async fn engine_names(db: &Connection, viewer: &Viewer) -> Result<Vec<EngineName>, StoreError> {
    let own = engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).order_by_asc(engine::Column::Name);
    let named = own.select_only().columns([engine::Column::Id, engine::Column::Name]).into_model().all(db).await?;
    Ok(named)
}

/// The shop's engines with their sheets and who entered them, by name.
pub async fn engines(db: &Connection, viewer: &Viewer) -> Result<Vec<Engine>, StoreError> {
    let own = engine::Entity::load().filter(engine::Column::ShopId.eq(viewer.shop)).order_by_asc(engine::Column::Name);
    own.with((sheet::Entity, user::Entity)).all(db).await?.into_iter().map(of_engine).collect()
}

/// From its row, loaded with its sheets.
pub(crate) fn of_engine(row: engine::ModelEx) -> Result<Engine, StoreError> {
    let mut rows: Vec<sheet::ModelEx> = row.sheets.into_iter().collect();
    // Ties of the date are broken by who came later; keys grow with time.
    rows.sort_by_key(|sheet| (sheet.in_force_from, sheet.id));
    let corrected: HashSet<Uuid> = rows.iter().filter_map(|sheet| sheet.corrects).collect();
    let mut engine =
        Engine { id: row.id, name: row.name, card: from_json("engine card", &row.card)?, sheets: Vec::new(), revisions: Vec::new() };
    for row in rows {
        let besides = row.besides.as_deref().map(|besides| from_json("sheet", besides)).transpose()?.unwrap_or_default();
        let torques = row.torques.as_deref().unwrap_or_default().lines().map(str::to_owned).collect();
        let sheet =
            Sheet { source: row.source, in_force_from: row.in_force_from, points: from_json("sheet", &row.points)?, torques, besides };
        let corrected = corrected.contains(&row.id);
        let by = (row.author.into_option().map(|author| author.shown_name).unwrap_or_default(), row.entered_at);
        if !corrected {
            engine.sheets.push(sheet.clone());
        }
        engine.revisions.push(Revision { id: row.id, sheet, corrected, by });
    }
    Ok(engine)
}

async fn own_engine(db: &impl ConnectionTrait, viewer: &Viewer, id: Uuid) -> Result<engine::Model, StoreError> {
    engine::Entity::find_by_id(id).filter(engine::Column::ShopId.eq(viewer.shop)).one(db).await?.ok_or(StoreError::NotFound)
}

/// What a plate is compared by: as a person compares them, spaces and case aside, and no letter taken for another.
pub fn tag_key(tag: &str) -> String {
    tag.chars().filter(|letter| !letter.is_whitespace()).flat_map(char::to_uppercase).take(60).collect()
}

/// The vehicle of a tag, made when the shop does not know it; a known one takes a new description, and keeps its own when none is given.
pub async fn vehicle_tagged(db: &Connection, viewer: &Viewer, tag: &str, description: &str) -> Result<Vehicle, StoreError> {
    let key = tag_key(tag);
    let find =
        || vehicle::Entity::find().filter(vehicle::Column::ShopId.eq(viewer.shop)).filter(vehicle::Column::TagKey.eq(key.clone())).one(db);
    if let Some(row) = find().await? {
        if description.is_empty() || row.description == description {
            return Ok(of_row(row));
        }
        let described = vehicle::ActiveModel { id: Set(row.id), description: Set(description.to_owned()), ..Default::default() };
        return Ok(of_row(described.update(db).await?));
    }
    let row = vehicle::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(viewer.shop),
        tag: Set(tag.to_owned()),
        description: Set(description.to_owned()),
        tag_key: Set(Some(key.clone())),
    };
    match row.insert(db).await {
        Ok(row) => Ok(of_row(row)),
        // Someone else was quicker.
        Err(error) if crate::stands_already(&error) => find().await?.map(of_row).ok_or(StoreError::NotFound),
        Err(error) => Err(error.into()),
    }
}

/// Vehicles of the shop whose plate begins with, or holds, what was typed; the likeliest `most` of them, never all.
pub async fn vehicles_like(db: &Connection, viewer: &Viewer, typed: &str, most: u64) -> Result<Vec<Vehicle>, StoreError> {
    let key = tag_key(typed);
    let mut own = vehicle::Entity::find().filter(vehicle::Column::ShopId.eq(viewer.shop));
    own = if key.is_empty() {
        // The newest: keys grow with time.
        own.order_by_desc(vehicle::Column::Id)
    } else {
        // A sign that the database takes for any letter is a letter like another.
        let begins = key.replace('|', "||").replace('%', "|%").replace('_', "|_") + "%";
        own.filter(vehicle::Column::TagKey.like(LikeExpr::new(begins).escape('|'))).order_by_asc(vehicle::Column::TagKey)
    };
    Ok(own.limit(most).all(db).await?.into_iter().map(of_row).collect())
}

pub(crate) fn of_row(row: vehicle::Model) -> Vehicle {
    Vehicle { id: row.id, tag: row.tag, description: row.description }
}

/// Adds a gauge; `None` when the name is taken.
pub async fn add_gauge(db: &Connection, viewer: &Viewer, name: &str, gauge: &Instrument) -> Result<Option<Uuid>, StoreError> {
    let id = Uuid::now_v7();
    let row =
        instrument::ActiveModel { id: Set(id), shop_id: Set(viewer.shop), name: Set(name.to_owned()), gauge: Set(json("gauge", gauge)?) };
    match row.insert(db).await {
        Ok(_) => Ok(Some(id)),
        Err(error) if crate::stands_already(&error) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// Changes a gauge; what it was stays readable. False when another gauge has the name.
pub async fn change_gauge(db: &Connection, viewer: &Viewer, id: Uuid, name: &str, gauge: &Instrument) -> Result<bool, StoreError> {
    let transaction = db.begin().await?;
    let own = instrument::Entity::find_by_id(id).filter(instrument::Column::ShopId.eq(viewer.shop));
    let old = own.one(&transaction).await?.ok_or(StoreError::NotFound)?;
    let gauge = json("gauge", gauge)?;
    if old.name == name && old.gauge == gauge {
        return Ok(true);
    }
    let changed = instrument::ActiveModel { id: Set(id), name: Set(name.to_owned()), gauge: Set(gauge), ..Default::default() };
    match changed.update(&transaction).await {
        Err(error) if crate::stands_already(&error) => return Ok(false),
        other => other?,
    };
    keep_revision(&transaction, viewer, id, old.name, old.gauge).await?;
    jobs::resummarise(&transaction, viewer, None).await?;
    transaction.commit().await?;
    Ok(true)
}

/// Gauges of the shop, by name.
pub async fn gauges(db: &impl ConnectionTrait, viewer: &Viewer) -> Result<Vec<Gauge>, StoreError> {
    let rows = instrument::Entity::find()
        .filter(instrument::Column::ShopId.eq(viewer.shop))
        .order_by_asc(instrument::Column::Name)
        .all(db)
        .await?;
    rows.into_iter().map(|row| Ok(Gauge { id: row.id, name: row.name, gauge: from_json("gauge", &row.gauge)? })).collect()
}
