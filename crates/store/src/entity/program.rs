use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "programs")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub token_hash: Vec<u8>,
    pub shop_id: Uuid,
    /// As whom it writes: a user of the shop who can never sign in.
    pub user_id: Uuid,
    /// Words of its scopes, with spaces between.
    pub scopes: String,
    /// It has nothing to do with jobs that it did not open.
    pub own_jobs_only: bool,
    pub made_by: Uuid,
    pub made_at: DateTime,
    pub revoked_at: Option<DateTime>,
    pub last_used_at: Option<DateTime>,
    /// Where its events are sent.
    pub hook_url: Option<String>,
    /// By what they are signed.
    pub hook_secret: Option<String>,
    #[sea_orm(belongs_to, from = "user_id", to = "id")]
    pub user: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
