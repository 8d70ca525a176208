//! How long a shop keeps the customers of closed jobs.
use crate::entity::{entry, job, shop, user};
use crate::{Connection, StoreError, Viewer, accounts};
use chrono::{Months, NaiveDateTime};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait};
use velvet_dial_core::rights::Role;

/// Customers that are removed at a time: the rest follows the next night.
const AT_ONCE: u64 = 500;

/// Months after closing for which a viewer's shop keeps a customer; none where it keeps them.
pub async fn months_kept(db: &Connection, viewer: &Viewer) -> Result<Option<u16>, StoreError> {
    let row = shop::Entity::find_by_id(viewer.shop).one(db).await?.ok_or(StoreError::NotFound)?;
    Ok(row.keeps_customers_months.and_then(|months| u16::try_from(months).ok()))
}

/// Says how long, for a viewer's shop.
pub async fn keep_months(db: &Connection, viewer: &Viewer, months: Option<u16>) -> Result<(), StoreError> {
    let months = months.map(|months| i16::try_from(months).unwrap_or(i16::MAX));
    shop::ActiveModel { id: Set(viewer.shop), keeps_customers_months: Set(months), ..Default::default() }.update(db).await?;
    Ok(())
}

/// Closed jobs that say more of their customer than their shop wants to keep: each with an owner of the shop, and for how many months it keeps.
pub async fn past_keeping(db: &Connection, now: NaiveDateTime) -> Result<Vec<(Viewer, i64, u16)>, StoreError> {
    let mut past = Vec::new();
    for shop in shop::Entity::find().filter(shop::Column::KeepsCustomersMonths.is_not_null()).all(db).await? {
        let Some(months) = shop.keeps_customers_months.and_then(|months| u16::try_from(months).ok()) else { continue };
        let owners = user::Entity::find().filter(user::Column::ShopId.eq(shop.id)).filter(user::Column::RemovedAt.is_null());
        let owner = owners.filter(user::Column::Role.eq(Role::Owner.id())).order_by_asc(user::Column::CreatedAt).one(db).await?;
        let Some(owner) = owner else { continue };
        let Some(viewer) = accounts::viewer_named(db, &owner.sign_in).await? else { continue };
        let before = now.checked_sub_months(Months::new(u32::from(months))).unwrap_or(now);
        let named = entry::Entity::find().select_only().column(entry::Column::JobId).filter(entry::Column::Personal.is_not_null());
        let closed = job::Entity::find()
            .filter(job::Column::ShopId.eq(shop.id))
            .filter(job::Column::ClosedAt.lt(before))
            .filter(job::Column::Id.in_subquery(named.into_query()))
            .order_by_asc(job::Column::ClosedAt)
            .limit(AT_ONCE);
        let numbers: Vec<i64> = closed.select_only().column(job::Column::Number).into_tuple().all(db).await?;
        past.extend(numbers.into_iter().map(|number| (viewer.clone(), number, months)));
    }
    Ok(past)
}
