use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "users")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub shop_id: Uuid,
    pub sign_in: String,
    pub shown_name: String,
    pub password_hash: String,
    pub cautions_read_at: Option<DateTime>,
    pub created_at: DateTime,
    /// Of the demo shop: refused wherever the demo is not served.
    pub demo: Option<bool>,
    /// Since when the user may not sign in any more; the name stays in the ledger.
    pub removed_at: Option<DateTime>,
    /// What they are in the shop; none is of before there were roles.
    pub role: Option<String>,
    /// Argon2id of the PIN for the shop's tablets.
    #[sea_orm(column_type = "Text", nullable)]
    pub pin_hash: Option<String>,
    #[sea_orm(belongs_to, from = "shop_id", to = "id")]
    pub shop: BelongsTo<super::shop::Entity>,
    #[sea_orm(has_many)]
    pub sessions: HasMany<super::session::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
