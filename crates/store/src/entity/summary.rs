//! What the board tells of a job.
use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "summaries")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub job_id: Uuid,
    pub shop_id: Uuid,
    pub number: i64,
    pub closed_at: Option<DateTime>,
    /// Last entry it knows of.
    pub seq: i32,
    pub stage: String,
    pub verdict: Option<String>,
    pub flag: String,
    pub flag_rule: Option<String>,
    pub last_entry: Option<Uuid>,
    pub last_by: Option<Uuid>,
    pub last_at: DateTime,
    /// Who is on the job.
    pub on_it: Option<String>,
    /// The job before that this vehicle came back with the same of.
    pub back_after: Option<i64>,
    /// The cause that leads, its odds, and the last entry that was weighed for both and the verdict.
    pub leader: Option<String>,
    pub leader_odds: Option<f64>,
    pub judged_seq: Option<i32>,
    /// The state of the program that told it; none of one that wrote no such thing.
    pub told_by: Option<String>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
    #[sea_orm(belongs_to, from = "last_entry", to = "id")]
    pub entry: BelongsTo<Option<super::entry::Entity>>,
    #[sea_orm(belongs_to, from = "last_by", to = "id")]
    pub author: BelongsTo<Option<super::user::Entity>>,
}

impl ActiveModelBehavior for ActiveModel {}
