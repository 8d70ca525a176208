use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "sheet_pages")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub sheet_id: Uuid,
    pub digest: String,
    pub width: i16,
    pub height: i16,
    pub size: i32,
    pub small: Vec<u8>,
    pub large: Vec<u8>,
    pub taken_by: Uuid,
    pub taken_at: DateTime,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
