//! What lies in the drawer beside the gauges: adapters, and what a gauge showed beside a second one.
use crate::entity::{adapter, gauge_check, instrument, user};
use crate::{Connection, StoreError, Viewer, from_json, json, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::adapter::Adapter;

/// An adapter of the shop.
#[derive(Debug, Clone, PartialEq)]
pub struct ShopAdapter {
    /// Key.
    pub id: Uuid,
    /// Name in the shop.
    pub name: String,
    /// Its ends.
    pub adapter: Adapter,
}

/// The adapters of the shop, by name.
pub async fn adapters(db: &Connection, viewer: &Viewer) -> Result<Vec<ShopAdapter>, StoreError> {
    let own = adapter::Entity::find().filter(adapter::Column::ShopId.eq(viewer.shop)).order_by_asc(adapter::Column::Name);
    let of = |row: adapter::Model| Ok(ShopAdapter { id: row.id, name: row.name, adapter: from_json("adapter", &row.body)? });
    own.all(db).await?.into_iter().map(of).collect()
}

/// Adds an adapter; false when the name is taken.
pub async fn add_adapter(db: &Connection, viewer: &Viewer, name: &str, adapter: &Adapter) -> Result<bool, StoreError> {
    let row = adapter::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(viewer.shop),
        name: Set(name.to_owned()),
        body: Set(json("adapter", adapter)?),
    };
    match row.insert(db).await {
        Ok(_) => Ok(true),
        Err(error) if crate::stands_already(&error) => Ok(false),
        Err(error) => Err(error.into()),
    }
}

/// Takes an adapter out of the drawer: lost, or given away.
pub async fn remove_adapter(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    let gone =
        adapter::Entity::delete_many().filter(adapter::Column::ShopId.eq(viewer.shop)).filter(adapter::Column::Id.eq(id)).exec(db).await?;
    if gone.rows_affected == 0 { Err(StoreError::NotFound) } else { Ok(()) }
}

/// What a gauge showed beside a second one.
#[derive(Debug, Clone, PartialEq)]
pub struct GaugeCheck {
    /// The second one.
    pub beside: String,
    /// What the gauge showed, kPa.
    pub reads_kpa: f64,
    /// What the second one showed, kPa.
    pub beside_kpa: f64,
    /// Who looked.
    pub who: String,
    /// When, UTC.
    pub at: NaiveDateTime,
}

/// Notes what a gauge of the shop showed beside a second one.
pub async fn add_gauge_check(
    db: &Connection,
    viewer: &Viewer,
    gauge: Uuid,
    beside: &str,
    (reads_kpa, beside_kpa): (f64, f64),
) -> Result<(), StoreError> {
    let own = instrument::Entity::find_by_id(gauge).filter(instrument::Column::ShopId.eq(viewer.shop));
    own.one(db).await?.ok_or(StoreError::NotFound)?;
    let row = gauge_check::ActiveModel {
        id: Set(Uuid::now_v7()),
        instrument_id: Set(gauge),
        beside: Set(beside.to_owned()),
        reads_kpa: Set(reads_kpa),
        beside_kpa: Set(beside_kpa),
        checked_by: Set(viewer.user),
        checked_at: Set(now()),
    };
    row.insert(db).await?;
    Ok(())
}

/// What the shop's gauges showed beside others, newest first, by gauge.
pub async fn gauge_checks(db: &Connection, viewer: &Viewer) -> Result<HashMap<Uuid, Vec<GaugeCheck>>, StoreError> {
    let own = instrument::Entity::find().select_only().column(instrument::Column::Id).filter(instrument::Column::ShopId.eq(viewer.shop));
    let gauges: Vec<Uuid> = own.into_tuple().all(db).await?;
    let rows = gauge_check::Entity::find()
        .filter(gauge_check::Column::InstrumentId.is_in(gauges))
        .order_by_desc(gauge_check::Column::Id)
        .all(db)
        .await?;
    let people = user::Entity::find().filter(user::Column::ShopId.eq(viewer.shop)).all(db).await?;
    let name = |id: Uuid| people.iter().find(|user| user.id == id).map(|user| user.shown_name.clone()).unwrap_or_default();
    let mut checks: HashMap<Uuid, Vec<GaugeCheck>> = HashMap::new();
    for row in rows {
        let check = GaugeCheck {
            beside: row.beside,
            reads_kpa: row.reads_kpa,
            beside_kpa: row.beside_kpa,
            who: name(row.checked_by),
            at: row.checked_at,
        };
        checks.entry(row.instrument_id).or_default().push(check);
    }
    Ok(checks)
}
