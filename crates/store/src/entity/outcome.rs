use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "outcomes")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub job_id: Uuid,
    pub shop_id: Uuid,
    /// Of which closing it is: a job that was opened again and closed anew has another.
    pub closed_at: DateTime,
    pub family: String,
    pub cause: Option<String>,
    pub known: Option<String>,
    /// The cause that led before the engine was opened, and its probability then.
    pub said_cause: Option<String>,
    pub said_probability: Option<f64>,
    /// The probability then of what it turned out to be.
    pub cause_probability: Option<f64>,
    pub took_min: Option<f64>,
    pub planned_min: Option<f64>,
    /// What was fitted or repaired in vain, a word each, with spaces between.
    #[sea_orm(column_type = "Text")]
    pub in_vain: String,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
