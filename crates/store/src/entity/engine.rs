use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "engines")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub shop_id: Uuid,
    pub name: String,
    pub card: String,
    #[sea_orm(has_many)]
    pub sheets: HasMany<super::sheet::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
