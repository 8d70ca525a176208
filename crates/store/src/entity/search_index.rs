//! What a job is found by.
use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "finders")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub job_id: Uuid,
    pub shop_id: Uuid,
    pub engine_id: Uuid,
    /// Plate, vehicle, engine, complaint, customer, findings and repairs, in words; under a full-text index.
    pub words: String,
    /// The cause that was put right, once the job is closed.
    pub cause: Option<String>,
    /// Minutes it took, and minutes that were planned, where its closing said so.
    pub took_min: Option<f64>,
    pub planned_min: Option<f64>,
    /// The vehicle came back with the same complaint.
    pub came_back: Option<bool>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
