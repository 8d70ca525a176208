use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "jobs")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub number: i64,
    pub shop_id: Uuid,
    pub vehicle_id: Uuid,
    pub engine_id: Uuid,
    pub complaint: String,
    pub opened_by: Uuid,
    pub opened_at: DateTime,
    pub submit_key: String,
    pub closed_at: Option<DateTime>,
    /// Of a scene of the practice bench: all of it follows from this and its grade.
    pub scene_seed: Option<i64>,
    /// Its grade, from 0.
    pub scene_grade: Option<i16>,
    /// When it was handed back.
    pub scene_ended_at: Option<DateTime>,
    /// How it was given, as JSON.
    pub scene_given: Option<String>,
    /// The task by which it was set.
    pub scene_task: Option<Uuid>,
    /// What came of it, as JSON.
    pub scene_result: Option<String>,
    /// Since when it is in no list any more.
    pub scene_cleared_at: Option<DateTime>,
    #[sea_orm(belongs_to, from = "vehicle_id", to = "id")]
    pub vehicle: BelongsTo<super::vehicle::Entity>,
    #[sea_orm(belongs_to, from = "engine_id", to = "id")]
    pub engine: BelongsTo<super::engine::Entity>,
    #[sea_orm(has_one)]
    pub summary: HasOne<super::summary::Entity>,
    #[sea_orm(has_many)]
    pub entries: HasMany<super::entry::Entity>,
    #[sea_orm(has_many)]
    pub records: HasMany<super::record::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
