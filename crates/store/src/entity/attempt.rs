use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "attempts")]
pub struct Model {
    /// SHA-256 of what is slowed down: a name at an address, a name, or an address.
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Vec<u8>,
    /// When a try made at the permitted pace would be due.
    pub due: DateTime,
}

impl ActiveModelBehavior for ActiveModel {}
