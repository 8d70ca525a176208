use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "patterns")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub shop_id: Uuid,
    pub family: String,
    pub cause: String,
    pub times: f64,
    /// In how many cases it was counted; none where somebody only says so.
    pub cases: Option<u32>,
    pub source: String,
    pub entered_by: Uuid,
    pub entered_at: DateTime,
    /// Taken back: it counts no more, and stays readable.
    pub retired_by: Option<Uuid>,
    pub retired_at: Option<DateTime>,
    #[sea_orm(belongs_to, from = "entered_by", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
