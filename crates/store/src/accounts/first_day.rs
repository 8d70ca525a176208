//! The first shop of an installation and its owner, and how far its first day has come.
use super::{NewUser, Shop, add, change_shop, nobody_yet, password};
use crate::entity::{adapter, engine, instrument, invitation, job, shop, user};
use crate::{Connection, StoreError, Viewer};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, TransactionTrait};
use uuid::Uuid;

/// What a shop has by now of what it needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct FirstDay {
    /// It is still on the path.
    pub on_it: bool,
    /// Its hours and money are said.
    pub settings: bool,
    /// Somebody beside the first owner is in it, or invited.
    pub people: bool,
    /// It has a gauge.
    pub gauge: bool,
    /// It has an adapter.
    pub adapter: bool,
    /// It has an engine.
    pub engine: bool,
    /// A job was opened, or a practice scene begun.
    pub job: bool,
}

/// Makes the first shop and its owner; none where somebody was quicker, or the sign-in name is taken.
pub async fn first_shop(db: &Connection, says: &Shop, owner: &NewUser<'_>) -> Result<Option<Viewer>, StoreError> {
    let password_hash = password::hash(owner.password.to_owned()).await?;
    let transaction = db.begin().await?;
    if !nobody_yet(&transaction).await? {
        return Ok(None);
    }
    let id = Uuid::now_v7();
    shop::ActiveModel { id: Set(id), name: Set(says.name.clone()), first_day: Set(Some(true)), ..Default::default() }
        .insert(&transaction)
        .await?;
    let Some(viewer) = add(&transaction, id, owner, (password_hash, false)).await? else { return Ok(None) };
    change_shop(&transaction, &viewer, says).await?;
    transaction.commit().await?;
    Ok(Some(Viewer { zone: says.zone.clone(), ..viewer }))
}

/// How far the viewer's shop has come.
pub async fn on_first_day(db: &Connection, viewer: &Viewer) -> Result<FirstDay, StoreError> {
    let row = shop::Entity::find_by_id(viewer.shop).one(db).await?.ok_or(StoreError::NotFound)?;
    if row.first_day != Some(true) {
        return Ok(FirstDay::default());
    }
    let people = user::Entity::find().filter(user::Column::ShopId.eq(viewer.shop)).filter(user::Column::RemovedAt.is_null());
    let invited = invitation::Entity::find().filter(invitation::Column::ShopId.eq(viewer.shop));
    let bench = shop::Entity::find().filter(shop::Column::PracticeOf.eq(viewer.shop)).one(db).await?.map(|bench| bench.id);
    let shops = std::iter::once(viewer.shop).chain(bench);
    Ok(FirstDay {
        on_it: true,
        settings: row.money.is_some() && row.opens_min.is_some(),
        people: people.count(db).await? > 1 || invited.count(db).await? > 0,
        gauge: instrument::Entity::find().filter(instrument::Column::ShopId.eq(viewer.shop)).count(db).await? > 0,
        adapter: adapter::Entity::find().filter(adapter::Column::ShopId.eq(viewer.shop)).count(db).await? > 0,
        engine: engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).count(db).await? > 0,
        job: job::Entity::find().filter(job::Column::ShopId.is_in(shops)).count(db).await? > 0,
    })
}

/// Leaves the path for good.
pub async fn end_first_day(db: &Connection, viewer: &Viewer) -> Result<(), StoreError> {
    shop::ActiveModel { id: Set(viewer.shop), first_day: Set(Some(false)), ..Default::default() }.update(db).await?;
    Ok(())
}
