//! The people of a shop: what they are in it, and that somebody always answers for it.
use super::{Person, person, role_of, session};
use crate::audit::{self, ShopEvent};
use crate::entity::{shop, user};
use crate::{Connection, StoreError, Viewer, now};
use sea_orm::ActiveValue::Set;
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, DatabaseTransaction, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect,
    TransactionTrait,
};
use uuid::Uuid;
use velvet_dial_core::rights::Role;

/// What became of a change of somebody's role.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Changed {
    /// It stands.
    Done,
    /// They are the last owner, and a shop without one can change nothing any more.
    LastOwner,
}

/// Those of a viewer's shop who may sign in.
pub async fn colleagues(db: &Connection, viewer: &Viewer) -> Result<Vec<Person>, StoreError> {
    let own = user::Entity::load().filter(user::Column::ShopId.eq(viewer.shop)).filter(user::Column::RemovedAt.is_null());
    let rows = own.order_by_asc(user::Column::ShownName).with(shop::Entity).all(db).await?;
    Ok(rows.into_iter().map(person).collect())
}

/// Somebody of a shop may sign in.
pub async fn has_people(db: &impl ConnectionTrait, shop: Uuid) -> Result<bool, StoreError> {
    let own = user::Entity::find().filter(user::Column::ShopId.eq(shop)).filter(user::Column::RemovedAt.is_null());
    Ok(own.count(db).await? > 0)
}

/// Gives somebody of the viewer's shop another role.
pub async fn change_role(db: &Connection, viewer: &Viewer, id: Uuid, role: Role) -> Result<Changed, StoreError> {
    let change = user::ActiveModel { id: Set(id), role: Set(Some(role.id().to_owned())), ..Default::default() };
    change_person(db, viewer, (change, Some(role)), id).await
}

/// Lets somebody of the viewer's shop sign in no more, and ends their sessions; what they wrote keeps their name.
pub async fn remove_person(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<Changed, StoreError> {
    let change = user::ActiveModel { id: Set(id), removed_at: Set(Some(now())), ..Default::default() };
    let changed = change_person(db, viewer, (change, None), id).await?;
    if changed == Changed::Done {
        session::end_all(db, id).await?;
    }
    Ok(changed)
}

/// Changes somebody: their role, or that they are in the shop at all. The shop's row is held, so that two owners cannot take each other's role at once.
async fn change_person(
    db: &Connection,
    viewer: &Viewer,
    (change, role): (user::ActiveModel, Option<Role>),
    id: Uuid,
) -> Result<Changed, StoreError> {
    let transaction = db.begin().await?;
    shop::Entity::find_by_id(viewer.shop).lock_exclusive().one(&transaction).await?;
    let own = own_people(&transaction, viewer).await?;
    let found = own.iter().find(|person| person.id == id).ok_or(StoreError::NotFound)?;
    let is_owner = |person: &user::Model| role_of(person.role.as_deref()) == Role::Owner;
    if role != Some(Role::Owner) && is_owner(found) && own.iter().filter(|person| is_owner(person)).count() < 2 {
        transaction.rollback().await?;
        return Ok(Changed::LastOwner);
    }
    let (who, from) = (found.shown_name.clone(), role_of(found.role.as_deref()));
    change.update(&transaction).await?;
    let event = role.map_or_else(|| ShopEvent::Removed { who: who.clone() }, |to| ShopEvent::RoleChanged { who: who.clone(), from, to });
    if role != Some(from) {
        audit::note(&transaction, viewer, &event).await?;
    }
    transaction.commit().await?;
    Ok(Changed::Done)
}

async fn own_people(db: &DatabaseTransaction, viewer: &Viewer) -> Result<Vec<user::Model>, StoreError> {
    let own = user::Entity::find().filter(user::Column::ShopId.eq(viewer.shop)).filter(user::Column::RemovedAt.is_null());
    Ok(own.all(db).await?)
}
