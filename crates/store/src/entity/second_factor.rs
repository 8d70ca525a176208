use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "second_factors")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub user_id: Uuid,
    /// What the phone makes its codes of.
    pub secret: Vec<u8>,
    /// None until the first code was right.
    pub confirmed_at: Option<DateTime>,
    /// The last step whose code was used: none counts twice.
    pub last_step: i64,
    /// SHA-256 of the recovery codes that are left, hexadecimal, with spaces between.
    #[sea_orm(column_type = "Text")]
    pub recovery: String,
    #[sea_orm(belongs_to, from = "user_id", to = "id")]
    pub user: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
