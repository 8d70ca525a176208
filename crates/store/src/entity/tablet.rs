use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "tablets")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub token_hash: Vec<u8>,
    pub shop_id: Uuid,
    pub name: String,
    pub enrolled_by: Uuid,
    pub enrolled_at: DateTime,
    /// Since when it is shared no more.
    pub over_at: Option<DateTime>,
}

impl ActiveModelBehavior for ActiveModel {}
