use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "rigs")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub shop_id: Uuid,
    pub name: String,
    pub taken: Option<String>,
    /// SHA-256 of the token that only the rig has.
    pub token: Vec<u8>,
    pub job_id: Option<Uuid>,
    pub instrument_id: Option<Uuid>,
    pub paired_by: Uuid,
    pub paired_at: DateTime,
    pub seen_at: Option<DateTime>,
}

impl ActiveModelBehavior for ActiveModel {}
