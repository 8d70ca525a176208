use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "entries")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub job_id: Uuid,
    pub seq: i32,
    pub kind: String,
    pub body: String,
    pub author_id: Uuid,
    pub written_at: DateTime,
    pub supersedes: Option<Uuid>,
    pub submit_key: String,
    /// Its hash behind the one before it; none on what was written before hashes were kept.
    pub chain: Option<String>,
    /// What its text says of the customer, with a salt: the text carries hashes in their place. None where it says nothing, or where the customer was removed.
    pub personal: Option<String>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
    #[sea_orm(belongs_to, from = "author_id", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
