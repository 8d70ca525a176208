use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "invitations")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub token_hash: Vec<u8>,
    pub shop_id: Uuid,
    pub shown_name: String,
    pub role: String,
    pub made_by: Uuid,
    pub made_at: DateTime,
    pub expires_at: DateTime,
    /// Used, or taken back.
    pub over_at: Option<DateTime>,
    #[sea_orm(belongs_to, from = "shop_id", to = "id")]
    pub shop: BelongsTo<super::shop::Entity>,
    #[sea_orm(belongs_to, from = "made_by", to = "id")]
    pub maker: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
