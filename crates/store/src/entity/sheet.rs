use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "sheets")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub engine_id: Uuid,
    pub source: String,
    pub in_force_from: Option<Date>,
    pub points: String,
    /// Torques as the sheet says them, a line each.
    pub torques: Option<String>,
    /// What it says beside its limits, as JSON.
    #[sea_orm(column_type = "Text", nullable)]
    pub besides: Option<String>,
    pub entered_by: Uuid,
    pub entered_at: DateTime,
    /// The revision that this one corrects: it was entered wrongly and is in force no more.
    pub corrects: Option<Uuid>,
    #[sea_orm(belongs_to, from = "engine_id", to = "id")]
    pub engine: BelongsTo<super::engine::Entity>,
    #[sea_orm(belongs_to, from = "entered_by", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
