//! What a shop knows before a job: vehicles, engines with their sheets, instruments.
use crate::entity::{engine, instrument, sheet, vehicle};
use crate::{Connection, StoreError, Viewer, from_json, json, now};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, TransactionTrait};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
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
    /// Revisions, oldest first.
    pub sheets: Vec<Sheet>,
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
#[derive(Debug, Clone, PartialEq, Eq)]
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
        add_sheet(&transaction, viewer, id, sheet).await?;
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

/// Adds a revision to an engine's sheet.
pub async fn add_sheet(db: &impl ConnectionTrait, viewer: &Viewer, engine: Uuid, revision: &Sheet) -> Result<(), StoreError> {
    own_engine(db, viewer, engine).await?;
    sheet::ActiveModel {
        id: Set(Uuid::now_v7()),
        engine_id: Set(engine),
        source: Set(revision.source.clone()),
        in_force_from: Set(revision.in_force_from),
        points: Set(json("sheet", &revision.points)?),
        entered_by: Set(viewer.user),
        entered_at: Set(now()),
    }
    .insert(db)
    .await?;
    Ok(())
}

/// One engine of the shop.
pub async fn engine(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<Engine, StoreError> {
    engines_of(db, viewer, [id]).await?.remove(&id).ok_or(StoreError::NotFound)
}

/// Engines of the shop with their sheets, in two queries however many.
pub(crate) async fn engines_of(
    db: &Connection,
    viewer: &Viewer,
    ids: impl IntoIterator<Item = Uuid>,
) -> Result<HashMap<Uuid, Engine>, StoreError> {
    let own = engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).filter(engine::Column::Id.is_in(ids));
    let mut engines = HashMap::new();
    for row in own.all(db).await? {
        let engine = Engine { id: row.id, name: row.name, card: from_json("engine card", &row.card)?, sheets: Vec::new() };
        engines.insert(row.id, engine);
    }
    let sheets = sheet::Entity::find()
        .filter(sheet::Column::EngineId.is_in(engines.keys().copied()))
        .order_by_asc(sheet::Column::InForceFrom)
        .order_by_asc(sheet::Column::Id);
    for row in sheets.all(db).await? {
        let sheet = Sheet { source: row.source, in_force_from: row.in_force_from, points: from_json("sheet", &row.points)? };
        if let Some(engine) = engines.get_mut(&row.engine_id) {
            engine.sheets.push(sheet);
        }
    }
    Ok(engines)
}

/// Names and keys of the shop's engines.
pub async fn engines(db: &Connection, viewer: &Viewer) -> Result<Vec<(Uuid, String)>, StoreError> {
    let rows = engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).order_by_asc(engine::Column::Name).all(db).await?;
    Ok(rows.into_iter().map(|row| (row.id, row.name)).collect())
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

/// Vehicles of the shop by their keys.
pub(crate) async fn vehicles_of(
    db: &Connection,
    viewer: &Viewer,
    ids: impl IntoIterator<Item = Uuid>,
) -> Result<HashMap<Uuid, Vehicle>, StoreError> {
    let own = vehicle::Entity::find().filter(vehicle::Column::ShopId.eq(viewer.shop)).filter(vehicle::Column::Id.is_in(ids));
    Ok(own.all(db).await?.into_iter().map(|row| (row.id, of_row(row))).collect())
}

/// Vehicles of the shop.
pub async fn vehicles(db: &Connection, viewer: &Viewer) -> Result<Vec<Vehicle>, StoreError> {
    let rows = vehicle::Entity::find().filter(vehicle::Column::ShopId.eq(viewer.shop)).order_by_asc(vehicle::Column::Tag).all(db).await?;
    Ok(rows.into_iter().map(of_row).collect())
}

fn of_row(row: vehicle::Model) -> Vehicle {
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

/// Gauges of the shop, the widest first.
pub async fn gauges(db: &Connection, viewer: &Viewer) -> Result<Vec<Gauge>, StoreError> {
    let rows = instrument::Entity::find()
        .filter(instrument::Column::ShopId.eq(viewer.shop))
        .order_by_asc(instrument::Column::Name)
        .all(db)
        .await?;
    rows.into_iter().map(|row| Ok(Gauge { id: row.id, name: row.name, gauge: from_json("gauge", &row.gauge)? })).collect()
}
