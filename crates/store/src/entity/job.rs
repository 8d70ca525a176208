use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "jobs")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub number: i64,
    pub shop_id: Uuid,
    pub vehicle_id: Uuid,
    pub engine_id: Uuid,
    pub complaint: String,
    pub opened_by: Uuid,
    pub opened_at: DateTime,
    pub submit_key: String,
    pub closed_at: Option<DateTime>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
