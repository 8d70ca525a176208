//! Heads of jobs' ledgers, sealed together: what changed since the seal before, and the hash of both.
use sea_orm::entity::prelude::*;

#[sea_orm::model]
#[derive(Clone, Debug, PartialEq, Eq, DeriveEntityModel)]
#[sea_orm(table_name = "sealed_heads")]
pub struct Model {
    /// Its place, from 1.
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: i64,
    pub at: DateTime,
    /// The root of the seal before; empty at the first.
    pub before: String,
    pub root: String,
    /// Key of the job, number of its last entry, and that one's hash, as JSON.
    pub heads: String,
}

impl ActiveModelBehavior for ActiveModel {}
