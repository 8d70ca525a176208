//! Shops, their people, and who is signed in.
mod attempts;
mod first_day;
mod invitation;
pub mod password;
mod people;
mod second_factor;
mod session;
mod tablet;
mod totp;

pub use attempts::{link_wait_s, wait_s};
pub use first_day::{FirstDay, end_first_day, first_shop, on_first_day};
pub use invitation::{INVITATION_DAYS, Invitation, Joined, invitations, invite, invited, join, take_back_invitation};
pub use people::{Changed, change_role, colleagues, has_people, remove_person};
pub use second_factor::{
    Passed, RECOVERY_CODES, SecondFactor, SetUp, awaits_code, begin_second_factor, confirm_second_factor, pass_code, remove_second_factor,
    second_factor, second_factor_again, take_second_factor, with_second_factor,
};
pub use session::{
    Credentials, OpenSession, SESSION_HOURS, Token, change_password, end_every_session, end_session, open_for, sessions, sign_in, sign_out,
    viewer_of,
};

use crate::audit::{self, ShopEvent};
use crate::entity::{shop, user};
use crate::zone::Zone;
use crate::{Connection, StoreError, Viewer, now};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect, TransactionTrait,
};
use std::collections::BTreeMap;
pub use tablet::{
    ByPin, PIN_DIGITS, Tablet, by_pin, enrol, has_pin, people_of_tablet, pin_complaint, set_pin, tablet_of, tablets, unenrol,
};
use uuid::Uuid;
use velvet_dial_core::rights::Role;

/// A new shop.
pub async fn add_shop(db: &Connection, name: &str) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    shop::ActiveModel { id: Set(id), name: Set(name.to_owned()), ..Default::default() }.insert(db).await?;
    Ok(id)
}

/// The shop of a name, made when there is none.
pub async fn shop_named(db: &Connection, name: &str) -> Result<Uuid, StoreError> {
    // The database holds some names to be alike that a person does not.
    let alike = shop::Entity::find().filter(shop::Column::Name.eq(name)).all(db).await?;
    match alike.into_iter().find(|shop| shop.name == name) {
        Some(found) => Ok(found.id),
        None => add_shop(db, name).await,
    }
}

/// What a shop says of itself.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Shop {
    /// Its name.
    pub name: String,
    /// Its clock.
    pub zone: Zone,
    /// Minutes after midnight it opens and closes.
    pub hours_min: Option<(i16, i16)>,
    /// An hour of work, in its money.
    pub labour_rate: Option<f64>,
    /// Its money, by three letters.
    pub money: Option<String>,
    /// It works on Saturdays.
    pub saturdays: bool,
    /// What its closed jobs were moves the odds of the next, and how long they took the price of an opening.
    pub learns: bool,
    /// Where mechanics differ, the way it goes, by question.
    pub ways: BTreeMap<String, String>,
}

/// A viewer's shop.
pub async fn shop(db: &Connection, viewer: &Viewer) -> Result<Shop, StoreError> {
    let row = shop::Entity::find_by_id(viewer.shop).one(db).await?.ok_or(StoreError::NotFound)?;
    Ok(Shop {
        name: row.name,
        zone: zone_of(row.zone.as_deref()),
        hours_min: row.opens_min.zip(row.closes_min),
        labour_rate: row.labour_rate,
        money: row.money,
        saturdays: row.saturdays.unwrap_or(false),
        learns: row.learns.unwrap_or(true),
        ways: ways_of(row.ways.as_deref()),
    })
}

/// The ways the shop chose, as its row keeps them.
fn ways_of(kept: Option<&str>) -> BTreeMap<String, String> {
    kept.and_then(|ways| serde_json::from_str(ways).ok()).unwrap_or_default()
}

/// Notes what somebody changed of it, each change as it is read.
pub async fn note_change(db: &Connection, viewer: &Viewer, changes: Vec<String>) -> Result<(), StoreError> {
    if changes.is_empty() { Ok(()) } else { audit::note(db, viewer, &ShopEvent::Settings { changes }).await }
}

/// Changes what a viewer's shop says of itself.
pub async fn change_shop(db: &impl ConnectionTrait, viewer: &Viewer, says: &Shop) -> Result<(), StoreError> {
    let (opens, closes) = says.hours_min.unzip();
    let row = shop::ActiveModel {
        id: Set(viewer.shop),
        name: Set(says.name.clone()),
        zone: Set(Some(says.zone.name().to_owned())),
        opens_min: Set(opens),
        closes_min: Set(closes),
        labour_rate: Set(says.labour_rate),
        money: Set(says.money.clone()),
        saturdays: Set(Some(says.saturdays)),
        learns: Set(Some(says.learns)),
        ..Default::default()
    };
    row.update(db).await?;
    Ok(())
}

/// Says which way a viewer's shop goes where mechanics differ; an empty way leaves the question open.
pub async fn choose_way(db: &Connection, viewer: &Viewer, question: &str, way: &str) -> Result<(), StoreError> {
    let transaction = db.begin().await?;
    let row = shop::Entity::find_by_id(viewer.shop).lock_exclusive().one(&transaction).await?.ok_or(StoreError::NotFound)?;
    let mut ways = ways_of(row.ways.as_deref());
    if way.is_empty() {
        ways.remove(question);
    } else {
        ways.insert(question.to_owned(), way.to_owned());
    }
    // OK because a map of texts is always text.
    let text = serde_json::to_string(&ways).unwrap_or_default();
    shop::ActiveModel { id: Set(viewer.shop), ways: Set(Some(text)), ..Default::default() }.update(&transaction).await?;
    audit::note(&transaction, viewer, &ShopEvent::Way { question: question.to_owned(), way: way.to_owned() }).await?;
    transaction.commit().await?;
    Ok(())
}

/// A zone that the database names and the zone database no longer has is UTC's.
fn zone_of(name: Option<&str>) -> Zone {
    name.and_then(Zone::named).unwrap_or_default()
}

/// True when nobody can sign in yet.
pub async fn nobody_yet(db: &impl ConnectionTrait) -> Result<bool, StoreError> {
    Ok(user::Entity::find().count(db).await? == 0)
}

/// A new user.
#[derive(Debug, Clone, Copy)]
pub struct NewUser<'a> {
    /// Name to sign in with.
    pub sign_in: &'a str,
    /// Name on screens.
    pub shown_name: &'a str,
    /// Password.
    pub password: &'a str,
    /// What they are in the shop.
    pub role: Role,
}

impl<'a> NewUser<'a> {
    /// A user of a role, by sign-in name, shown name and password.
    pub fn of(role: Role, sign_in: &'a str, shown_name: &'a str, password: &'a str) -> Self {
        Self { sign_in, shown_name, password, role }
    }
}

/// Adds a user; `None` when the sign-in name is taken.
pub async fn add_user(db: &Connection, shop: Uuid, new: &NewUser<'_>) -> Result<Option<Viewer>, StoreError> {
    let password_hash = password::hash(new.password.to_owned()).await?;
    add(db, shop, new, (password_hash, false)).await
}

/// Adds a user of the demo shop, who is refused wherever the demo is not served.
pub async fn add_demo_user(db: &Connection, shop: Uuid, new: &NewUser<'_>) -> Result<Option<Viewer>, StoreError> {
    let password_hash = password::hash(new.password.to_owned()).await?;
    add(db, shop, new, (password_hash, true)).await
}

async fn add(
    db: &impl ConnectionTrait,
    shop: Uuid,
    new: &NewUser<'_>,
    (password_hash, demo): (String, bool),
) -> Result<Option<Viewer>, StoreError> {
    let row = user::ActiveModel {
        id: Set(Uuid::now_v7()),
        shop_id: Set(shop),
        sign_in: Set(new.sign_in.to_owned()),
        shown_name: Set(new.shown_name.to_owned()),
        password_hash: Set(password_hash),
        cautions_read_at: Set(None),
        created_at: Set(now()),
        demo: Set(Some(demo)),
        removed_at: Set(None),
        role: Set(Some(new.role.id().to_owned())),
        pin_hash: Set(None),
    };
    match row.insert(db).await {
        Ok(row) => {
            let shop = shop::Entity::find_by_id(row.shop_id).one(db).await?;
            let zone = zone_of(shop.and_then(|shop| shop.zone).as_deref());
            Ok(Some(Viewer {
                user: row.id,
                shop: row.shop_id,
                role: new.role,
                shown_name: row.shown_name,
                cautions_read: false,
                zone,
                since: now(),
            }))
        }
        Err(error) if crate::stands_already(&error) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// A sign-in name as it is compared: without spaces round it, in small letters. What the database holds to be alike beyond that, accents say, is another name.
pub fn normal_name(name: &str) -> String {
    name.trim().to_lowercase()
}

/// Notes that the user has read the cautions of first use.
pub async fn cautions_read(db: &Connection, viewer: &Viewer) -> Result<(), StoreError> {
    user::ActiveModel { id: Set(viewer.user), cautions_read_at: Set(Some(now())), ..Default::default() }.update(db).await?;
    Ok(())
}

pub(crate) fn viewer(row: user::ModelEx) -> Viewer {
    let zone = row.shop.into_option().and_then(|shop| shop.zone);
    Viewer {
        user: row.id,
        shop: row.shop_id,
        role: role_of(row.role.as_deref()),
        shown_name: row.shown_name,
        cautions_read: row.cautions_read_at.is_some(),
        zone: zone_of(zone.as_deref()),
        since: now(),
    }
}

/// Who was here before there were roles may do what everybody could: all but the shop's own affairs.
fn role_of(kept: Option<&str>) -> Role {
    kept.and_then(Role::parse).unwrap_or(Role::Foreman)
}

/// A user in a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Person {
    /// Key.
    pub id: Uuid,
    /// Sign-in name.
    pub sign_in: String,
    /// Name on screens.
    pub shown_name: String,
    /// What they are in it.
    pub role: Role,
    /// Name of the shop.
    pub shop: String,
    /// Of the demo shop.
    pub demo: bool,
    /// May sign in no more.
    pub removed: bool,
}

/// Every user of every shop, for whoever looks after the computer.
pub async fn everybody(db: &Connection) -> Result<Vec<Person>, StoreError> {
    let people = user::Entity::load().filter(user::Column::SignIn.not_like(format!("{}%", crate::programs::SIGNS_IN_AS)));
    let rows = people.order_by_asc(user::Column::SignIn).with(shop::Entity).all(db).await?;
    Ok(rows.into_iter().map(person).collect())
}

/// A viewer of each shop, for what is done for a shop as a whole.
pub async fn one_of_each_shop(db: &Connection) -> Result<Vec<Viewer>, StoreError> {
    let rows = user::Entity::load().order_by_asc(user::Column::CreatedAt).with(shop::Entity).all(db).await?;
    let mut viewers: Vec<Viewer> = Vec::new();
    for viewer in rows.into_iter().map(viewer) {
        if !viewers.iter().any(|known| known.shop == viewer.shop) {
            viewers.push(viewer);
        }
    }
    Ok(viewers)
}

fn person(row: user::ModelEx) -> Person {
    Person {
        id: row.id,
        sign_in: row.sign_in,
        shown_name: row.shown_name,
        role: role_of(row.role.as_deref()),
        shop: row.shop.into_option().map(|shop| shop.name).unwrap_or_default(),
        demo: row.demo == Some(true),
        removed: row.removed_at.is_some(),
    }
}

/// Gives a user another password and ends all sessions; false when there is no such user.
pub async fn set_password(db: &Connection, sign_in: &str, password: &str) -> Result<bool, StoreError> {
    let Some(found) = named(db, sign_in).await? else { return Ok(false) };
    let password_hash = password::hash(password.to_owned()).await?;
    user::ActiveModel { id: Set(found.id), password_hash: Set(password_hash), ..Default::default() }.update(db).await?;
    session::end_all(db, found.id).await?;
    Ok(true)
}

/// Gives a user another role; false when there is no such user.
pub async fn set_role_of(db: &Connection, sign_in: &str, role: Role) -> Result<bool, StoreError> {
    let Some(found) = named(db, sign_in).await? else { return Ok(false) };
    user::ActiveModel { id: Set(found.id), role: Set(Some(role.id().to_owned())), ..Default::default() }.update(db).await?;
    Ok(true)
}

/// Lets a user sign in no more and ends all sessions; what they wrote keeps their name. False when there is no such user.
pub async fn remove_user(db: &Connection, sign_in: &str) -> Result<bool, StoreError> {
    let Some(found) = named(db, sign_in).await? else { return Ok(false) };
    user::ActiveModel { id: Set(found.id), removed_at: Set(Some(now())), ..Default::default() }.update(db).await?;
    session::end_all(db, found.id).await?;
    Ok(true)
}

async fn named(db: &Connection, sign_in: &str) -> Result<Option<user::Model>, StoreError> {
    let name = normal_name(sign_in);
    let found = user::Entity::find().filter(user::Column::SignIn.eq(&name)).filter(user::Column::RemovedAt.is_null()).one(db).await?;
    Ok(found.filter(|user| normal_name(&user.sign_in) == name))
}

/// Who signs in by a name, for what a command does on their behalf.
pub async fn viewer_named(db: &Connection, sign_in: &str) -> Result<Option<Viewer>, StoreError> {
    let Some(user) = named(db, sign_in).await? else { return Ok(None) };
    viewer_where(db, user::Column::Id.eq(user.id)).await
}

pub(crate) async fn viewer_where(db: &Connection, who: Expr) -> Result<Option<Viewer>, StoreError> {
    let rows = user::Entity::load().filter(who).with(shop::Entity).all(db).await?;
    Ok(rows.into_iter().next().map(viewer))
}

/// The demo user of a sign-in name, for what the demo does by itself.
pub async fn demo_viewer(db: &Connection, sign_in: &str) -> Result<Option<Viewer>, StoreError> {
    viewer_where(db, user::Column::SignIn.eq(normal_name(sign_in)).and(user::Column::Demo.eq(true))).await
}

/// True when a sign-in name is a demo user's.
pub async fn is_demo(db: &Connection, sign_in: &str) -> Result<bool, StoreError> {
    Ok(named(db, sign_in).await?.is_some_and(|user| user.demo == Some(true)))
}

/// Forgets what no longer holds: sessions long over, tries that no longer slow anything down. How many of each.
pub async fn purge(db: &Connection) -> Result<(u64, u64), StoreError> {
    Ok((session::purge(db).await?, attempts::purge(db).await?))
}
