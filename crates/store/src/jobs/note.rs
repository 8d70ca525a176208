//! Notes that are kept with an engine: how one gets at it, what was hard, whatever the next job on one should know.
use super::entry::NOTE;
use super::{Body, Entry, Note};
use crate::entity::{entry, job, user};
use crate::{Connection, StoreError, Viewer};
use chrono::NaiveDateTime;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect};
use std::collections::HashSet;
use uuid::Uuid;

/// Notes of an engine that are looked through.
const LOOKED_THROUGH: u64 = 400;

/// A note that is kept with an engine.
#[derive(Debug, Clone)]
pub struct EngineNote {
    /// The job it was written on.
    pub job: i64,
    /// What it says.
    pub note: Note,
    /// Who wrote it.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
}

/// The notes that the shop keeps with an engine, the newest first.
pub async fn engine_notes(db: &Connection, viewer: &Viewer, engine: Uuid) -> Result<Vec<EngineNote>, StoreError> {
    let of_engine = job::Entity::find()
        .filter(job::Column::ShopId.eq(viewer.shop))
        .filter(job::Column::EngineId.eq(engine))
        .select_only()
        .columns([job::Column::Id, job::Column::Number])
        .into_tuple::<(Uuid, i64)>()
        .all(db)
        .await?;
    let jobs = of_engine.iter().map(|(id, _)| *id);
    let ids: Vec<Uuid> = entry::Entity::find()
        .filter(entry::Column::JobId.is_in(jobs))
        .filter(entry::Column::Kind.eq(NOTE))
        .order_by_desc(entry::Column::WrittenAt)
        .limit(LOOKED_THROUGH)
        .select_only()
        .column(entry::Column::Id)
        .into_tuple()
        .all(db)
        .await?;
    let notes = entry::Entity::load().filter(entry::Column::Id.is_in(ids.iter().copied())).with(user::Entity).all(db).await?;
    let gone: HashSet<Uuid> = entry::Entity::find()
        .filter(entry::Column::Supersedes.is_in(ids))
        .select_only()
        .column(entry::Column::Supersedes)
        .into_tuple::<Option<Uuid>>()
        .all(db)
        .await?
        .into_iter()
        .flatten()
        .collect();
    let one = |row: entry::ModelEx| {
        let job = of_engine.iter().find(|(id, _)| *id == row.job_id)?.1;
        let entry = Entry::of_row(row);
        match entry.body {
            Body::Note(note) if note.for_engine && !gone.contains(&entry.id) => {
                Some(EngineNote { job, note, by: entry.author_name, at: entry.written_at })
            }
            _ => None,
        }
    };
    let mut kept: Vec<EngineNote> = notes.into_iter().filter_map(one).collect();
    kept.sort_by_key(|kept| std::cmp::Reverse(kept.at));
    Ok(kept)
}
