//! A scene that is set to several people of the shop at once.
use crate::entity::practice_task;
use crate::jobs::{Given, SceneBegun, digest};
use crate::{Connection, StoreError, Viewer, from_json, json, now};
use chrono::NaiveDateTime;
use sea_orm::ActiveValue::Set;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use uuid::Uuid;

/// Most tasks in a list.
const LISTED: u64 = 40;

/// A task.
#[derive(Debug, Clone, PartialEq)]
pub struct Task {
    /// Key.
    pub id: Uuid,
    /// What it is called.
    pub title: String,
    /// Its scene, with the task's own key.
    pub scene: SceneBegun,
    /// To whom it is set.
    pub people: Vec<Uuid>,
    /// Who set it.
    pub set_by: Uuid,
    /// When, UTC.
    pub set_at: NaiveDateTime,
}

/// What a task is set with.
#[derive(Debug)]
pub struct NewTask<'a> {
    /// What it is called.
    pub title: &'a str,
    /// Its scene.
    pub scene: &'a SceneBegun,
    /// To whom.
    pub people: &'a [Uuid],
    /// Key of the form: the same form sent twice sets one task.
    pub key: &'a str,
}

/// Sets a task; its key.
pub async fn set(db: &Connection, bench: &Viewer, new: &NewTask<'_>) -> Result<Uuid, StoreError> {
    let people = json("people", &new.people)?;
    let submit_key = digest(new.key, &[new.title, &people]);
    let id = Uuid::now_v7();
    let row = practice_task::ActiveModel {
        id: Set(id),
        shop_id: Set(bench.shop),
        title: Set(new.title.to_owned()),
        seed: Set(new.scene.seed as i64),
        grade: Set(i16::from(new.scene.grade)),
        given: Set(json("scene", &new.scene.given)?),
        people: Set(people),
        set_by: Set(bench.user),
        set_at: Set(now()),
        submit_key: Set(submit_key.clone()),
    };
    match row.insert(db).await {
        Ok(_) => Ok(id),
        Err(error) if crate::stands_already(&error) => {
            let same = practice_task::Entity::find().filter(practice_task::Column::SubmitKey.eq(submit_key));
            let same = same.filter(practice_task::Column::ShopId.eq(bench.shop)).one(db).await?;
            same.map(|row| row.id).ok_or(StoreError::NotFound)
        }
        Err(error) => Err(error.into()),
    }
}

/// One task.
pub async fn task(db: &Connection, bench: &Viewer, id: Uuid) -> Result<Task, StoreError> {
    let row = practice_task::Entity::find_by_id(id).filter(practice_task::Column::ShopId.eq(bench.shop)).one(db).await?;
    of_row(row.ok_or(StoreError::NotFound)?)
}

/// The tasks of a bench, the newest first.
pub async fn tasks(db: &Connection, bench: &Viewer) -> Result<Vec<Task>, StoreError> {
    let rows = practice_task::Entity::find().filter(practice_task::Column::ShopId.eq(bench.shop));
    rows.order_by_desc(practice_task::Column::SetAt).limit(LISTED).all(db).await?.into_iter().map(of_row).collect()
}

fn of_row(row: practice_task::Model) -> Result<Task, StoreError> {
    let given: Given = from_json("scene", &row.given)?;
    let scene = SceneBegun { seed: row.seed as u64, grade: u8::try_from(row.grade).unwrap_or_default(), given, task: Some(row.id) };
    let people = from_json("people", &row.people)?;
    Ok(Task { id: row.id, title: row.title, scene, people, set_by: row.set_by, set_at: row.set_at })
}
