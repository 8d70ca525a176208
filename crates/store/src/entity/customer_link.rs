use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "customer_links")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub token_hash: Vec<u8>,
    pub job_id: Uuid,
    /// What is proposed, as it stood when the link was made.
    pub body: String,
    pub made_by: Uuid,
    pub made_at: DateTime,
    pub expires_at: DateTime,
    pub revoked_at: Option<DateTime>,
    /// Yes or no was said.
    pub answered_at: Option<DateTime>,
    pub looks: i32,
    pub questions: i32,
    #[sea_orm(belongs_to, from = "made_by", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
