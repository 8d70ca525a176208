use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "hook_deliveries")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub program_id: Uuid,
    pub kind: String,
    #[sea_orm(column_type = "Text")]
    pub body: String,
    pub made_at: DateTime,
    /// None once it was delivered or given up.
    pub next_try_at: Option<DateTime>,
    pub tries: i32,
    pub delivered_at: Option<DateTime>,
    /// What came back last, in words.
    pub answer: String,
    #[sea_orm(belongs_to, from = "program_id", to = "id")]
    pub program: BelongsTo<super::program::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
