//! What a closing stood on.
use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "records")]
pub struct Model {
    /// The closing that it belongs to.
    #[sea_orm(primary_key, auto_increment = false)]
    pub entry_id: Uuid,
    pub job_id: Uuid,
    /// Fingerprint of the knowledge that judged.
    pub knowledge: String,
    pub body: String,
    /// The code printed on the report, by which it is found; none on records of before reports had one.
    pub code: Option<String>,
    #[sea_orm(belongs_to, from = "entry_id", to = "id")]
    pub entry: BelongsTo<super::entry::Entity>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
