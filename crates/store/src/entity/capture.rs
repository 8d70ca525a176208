use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "captures")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub job_id: Uuid,
    pub name: String,
    pub digest: String,
    pub bytes: Vec<u8>,
    pub mapping: Option<String>,
    pub uploaded_by: Uuid,
    pub uploaded_at: DateTime,
    /// How many bytes.
    pub size: Option<i64>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
