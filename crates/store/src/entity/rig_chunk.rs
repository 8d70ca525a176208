use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "rig_chunks")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub run_id: Uuid,
    #[sea_orm(primary_key, auto_increment = false)]
    pub first_seq: i64,
    pub samples: i32,
    pub lost: i64,
    pub from_us: i64,
    pub to_us: i64,
    pub peaks: Vec<u8>,
    pub bytes: Vec<u8>,
}

impl ActiveModelBehavior for ActiveModel {}
