use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "foreman_requests")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub job_id: Uuid,
    pub asked_by: Uuid,
    pub asked_at: DateTime,
    /// The right that is missing, by its word.
    pub right_to: String,
    /// What is to be written, as an entry keeps it; empty once it is settled.
    pub body: String,
    /// The entry it is to take the place of.
    pub supersedes: Option<Uuid>,
    pub submit_key: String,
    pub settled_at: Option<DateTime>,
    pub settled_by: Option<Uuid>,
    pub granted: Option<bool>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
    #[sea_orm(belongs_to, from = "asked_by", to = "id")]
    pub asker: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
