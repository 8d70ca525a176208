use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "sessions")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub token_hash: Vec<u8>,
    pub user_id: Uuid,
    pub agent: String,
    pub created_at: DateTime,
    pub expires_at: DateTime,
    pub revoked_at: Option<DateTime>,
    /// Whence it was opened; a user who signed in from there before is not kept waiting by strangers elsewhere.
    pub address: Option<String>,
    /// The shop's tablet on which it was opened by a PIN.
    pub tablet_id: Option<Uuid>,
    /// The password was right, and the second factor is still to come.
    pub awaits_code: Option<bool>,
    #[sea_orm(belongs_to, from = "user_id", to = "id")]
    pub user: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
