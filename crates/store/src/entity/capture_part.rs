use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "capture_parts")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub capture_id: Uuid,
    #[sea_orm(primary_key, auto_increment = false)]
    pub part: i32,
    pub bytes: Vec<u8>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
