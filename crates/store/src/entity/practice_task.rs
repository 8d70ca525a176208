use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "practice_tasks")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    /// The bench's.
    pub shop_id: Uuid,
    pub title: String,
    /// Seed, grade and the rest of its scene.
    pub seed: i64,
    pub grade: i16,
    pub given: String,
    /// Keys of those to whom it was set, as JSON.
    pub people: String,
    pub set_by: Uuid,
    pub set_at: DateTime,
    pub submit_key: String,
}

impl ActiveModelBehavior for ActiveModel {}
