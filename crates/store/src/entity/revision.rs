//! What an engine's card or a gauge said before it was changed.
use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "formers")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    /// The engine or instrument.
    pub thing_id: Uuid,
    /// Its name until then.
    pub name: String,
    /// What it was until then: a card or a gauge.
    pub body: String,
    pub replaced_by: Uuid,
    pub replaced_at: DateTime,
    #[sea_orm(belongs_to, from = "replaced_by", to = "id")]
    pub author: BelongsTo<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
