use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "shops")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub name: String,
    /// Zone of its clock, by its name in the zone database; none is UTC.
    pub zone: Option<String>,
    /// Minutes after midnight it opens and closes.
    pub opens_min: Option<i16>,
    pub closes_min: Option<i16>,
    /// An hour of work, in the shop's money.
    pub labour_rate: Option<f64>,
    /// The money, by its three letters.
    pub money: Option<String>,
    /// It works on Saturdays.
    pub saturdays: Option<bool>,
    /// It learns from its closed jobs; none is yes.
    pub learns: Option<bool>,
    /// Where mechanics differ, the way it goes: ways by question, as JSON.
    #[sea_orm(column_type = "Text", nullable)]
    pub ways: Option<String>,
    /// It is the practice bench of this other shop.
    pub practice_of: Option<Uuid>,
    /// It is still on the path of its first day.
    pub first_day: Option<bool>,
    /// Months after closing for which customers are kept; none where they are kept as long as the jobs.
    pub keeps_customers_months: Option<i16>,
    #[sea_orm(has_many)]
    pub users: HasMany<super::user::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
