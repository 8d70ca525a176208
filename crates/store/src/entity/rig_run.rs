use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "rig_runs")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub rig_id: Uuid,
    pub job_id: Uuid,
    pub boot: String,
    pub channels: String,
    pub instrument_id: Option<Uuid>,
    pub started_at: DateTime,
    pub next_seq: i64,
    pub first_us: Option<i64>,
    pub last_us: Option<i64>,
    pub samples: i64,
    pub lost: i64,
    pub size: i64,
    #[sea_orm(belongs_to, from = "rig_id", to = "id")]
    pub rig: BelongsTo<super::rig::Entity>,
    #[sea_orm(belongs_to, from = "job_id", to = "id")]
    pub job: BelongsTo<super::job::Entity>,
}

impl ActiveModelBehavior for ActiveModel {}
