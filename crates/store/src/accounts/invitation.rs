//! Invitations into a shop: a link that is shown once, holds for a week and for one person, and says what they will be there.
use super::{NewUser, add, role_of};
use crate::audit::{self, ShopEvent};
use crate::entity::{invitation, shop, user};
use crate::{Connection, StoreError, Viewer, now, secret};
use chrono::{Duration, NaiveDateTime};
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, TransactionTrait};
use uuid::Uuid;
use velvet_dial_core::rights::Role;

/// An invitation holds for so many days.
pub const INVITATION_DAYS: i64 = 7;

/// An invitation that nobody has used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Invitation {
    /// Key.
    pub id: Uuid,
    /// Name of the shop.
    pub shop: String,
    /// Who is invited, as screens will show them.
    pub shown_name: String,
    /// What they will be.
    pub role: Role,
    /// Who invited them.
    pub by: String,
    /// Until when it holds, UTC.
    pub expires_at: NaiveDateTime,
}

/// What became of somebody's coming.
#[derive(Debug, Clone, PartialEq)]
pub enum Joined {
    /// They are in.
    In(Box<Viewer>),
    /// The sign-in name is somebody else's.
    NameTaken,
    /// The invitation was used, taken back, or is over.
    Over,
}

/// Invites somebody; the secret of their link, which is kept nowhere.
pub async fn invite(db: &Connection, viewer: &Viewer, shown_name: &str, role: Role) -> Result<String, StoreError> {
    let token = secret::new::<20>()?;
    let made_at = now();
    let row = invitation::ActiveModel {
        id: Set(Uuid::now_v7()),
        token_hash: Set(secret::digest(&token)),
        shop_id: Set(viewer.shop),
        shown_name: Set(shown_name.to_owned()),
        role: Set(role.id().to_owned()),
        made_by: Set(viewer.user),
        made_at: Set(made_at),
        expires_at: Set(made_at + Duration::days(INVITATION_DAYS)),
        over_at: Set(None),
    };
    row.insert(db).await?;
    audit::note(db, viewer, &ShopEvent::Invited { who: shown_name.to_owned(), role }).await?;
    Ok(token)
}

fn of_row(row: invitation::ModelEx) -> Invitation {
    Invitation {
        id: row.id,
        shop: row.shop.into_option().map(|shop| shop.name).unwrap_or_default(),
        shown_name: row.shown_name,
        role: role_of(Some(&row.role)),
        by: row.maker.into_option().map(|maker| maker.shown_name).unwrap_or_default(),
        expires_at: row.expires_at,
    }
}

/// The invitations of the viewer's shop that can still be used, the newest first.
pub async fn invitations(db: &Connection, viewer: &Viewer) -> Result<Vec<Invitation>, StoreError> {
    let open = invitation::Entity::load()
        .filter(invitation::Column::ShopId.eq(viewer.shop))
        .filter(invitation::Column::OverAt.is_null())
        .filter(invitation::Column::ExpiresAt.gt(now()))
        .order_by_desc(invitation::Column::MadeAt)
        .with(shop::Entity)
        .with(user::Entity);
    Ok(open.all(db).await?.into_iter().map(of_row).collect())
}

/// Takes an invitation back.
pub async fn take_back_invitation(db: &Connection, viewer: &Viewer, id: Uuid) -> Result<(), StoreError> {
    let row = invitation::Entity::find_by_id(id).filter(invitation::Column::ShopId.eq(viewer.shop)).one(db).await?;
    let Some(row) = row.filter(|row| row.over_at.is_none()) else { return Ok(()) };
    audit::note(db, viewer, &ShopEvent::InvitationWithdrawn { who: row.shown_name }).await?;
    let over = invitation::ActiveModel { over_at: Set(Some(now())), ..Default::default() };
    invitation::Entity::update_many()
        .set(over)
        .filter(invitation::Column::Id.eq(id))
        .filter(invitation::Column::ShopId.eq(viewer.shop))
        .filter(invitation::Column::OverAt.is_null())
        .exec(db)
        .await?;
    Ok(())
}

/// The invitation of a link; none where it cannot be used.
pub async fn invited(db: &Connection, token: &str) -> Result<Option<Invitation>, StoreError> {
    let row = invitation::Entity::load()
        .filter(invitation::Column::TokenHash.eq(secret::digest(token)))
        .filter(invitation::Column::OverAt.is_null())
        .filter(invitation::Column::ExpiresAt.gt(now()))
        .with(shop::Entity)
        .with(user::Entity)
        .one(db)
        .await?;
    Ok(row.map(of_row))
}

/// Lets in who was invited, under the name and password that they chose: once, however often the form is sent.
pub async fn join(db: &Connection, token: &str, sign_in: &str, password: &str) -> Result<Joined, StoreError> {
    let password_hash = super::password::hash(password.to_owned()).await?;
    let transaction = db.begin().await?;
    let held = invitation::Entity::find().filter(invitation::Column::TokenHash.eq(secret::digest(token))).lock_exclusive();
    let open = held.one(&transaction).await?.filter(|row| row.over_at.is_none() && row.expires_at > now());
    let Some(row) = open else {
        transaction.rollback().await?;
        return Ok(Joined::Over);
    };
    let new = NewUser { sign_in, shown_name: &row.shown_name, password, role: role_of(Some(&row.role)) };
    let Some(viewer) = add(&transaction, row.shop_id, &new, (password_hash, false)).await? else {
        transaction.rollback().await?;
        return Ok(Joined::NameTaken);
    };
    invitation::ActiveModel { id: Set(row.id), over_at: Set(Some(now())), ..Default::default() }.update(&transaction).await?;
    audit::note(&transaction, &viewer, &ShopEvent::Joined { role: viewer.role }).await?;
    transaction.commit().await?;
    Ok(Joined::In(Box::new(viewer)))
}
