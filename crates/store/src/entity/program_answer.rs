use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "program_answers")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub program_id: Uuid,
    #[sea_orm(primary_key, auto_increment = false)]
    pub idem_key: String,
    /// SHA-256 of what was asked.
    pub request_hash: Vec<u8>,
    /// None while it is still being answered.
    pub status: Option<i16>,
    #[sea_orm(column_type = "Text")]
    pub body: String,
    pub at: DateTime,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
