use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "shop_events")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub shop_id: Uuid,
    pub by_user: Uuid,
    pub at: DateTime,
    /// What was changed, as JSON.
    pub body: String,
    #[sea_orm(belongs_to, from = "by_user", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
