//! Pages of sheets: a scan or a photo of the paper that a revision was typed from.
use crate::entity::{engine, sheet, sheet_page as table};
use crate::jobs::Photo;
use crate::{Connection, StoreError, Viewer, now};
use sea_orm::ActiveValue::Set;
use sea_orm::{ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, QuerySelect, QueryTrait};
use std::collections::HashMap;
use uuid::Uuid;

/// Pages that a revision may hold.
pub const MOST_PAGES: u64 = 20;

/// Keeps a page of a revision; the same one is kept once.
pub async fn add_page(db: &Connection, viewer: &Viewer, revision: Uuid, page: &Photo) -> Result<(), StoreError> {
    own_sheet(db, viewer, revision).await?;
    if table::Entity::find().filter(table::Column::SheetId.eq(revision)).count(db).await? >= MOST_PAGES {
        return Err(StoreError::Album { most: MOST_PAGES });
    }
    let (width, height) = page.sides();
    let row = table::ActiveModel {
        id: Set(Uuid::now_v7()),
        sheet_id: Set(revision),
        digest: Set(page.digest()),
        width: Set(width),
        height: Set(height),
        size: Set(page.large.len() as i32),
        small: Set(page.small.clone()),
        large: Set(page.large.clone()),
        taken_by: Set(viewer.user),
        taken_at: Set(now()),
    };
    match table::Entity::insert(row).exec_without_returning(db).await {
        Err(error) if !crate::stands_already(&error) => Err(error.into()),
        _ => Ok(()),
    }
}

/// The pages of the shop's sheets, by revision, in the order they came.
pub async fn pages(db: &Connection, viewer: &Viewer) -> Result<HashMap<Uuid, Vec<Uuid>>, StoreError> {
    let rows: Vec<(Uuid, Uuid)> = table::Entity::find()
        .filter(table::Column::SheetId.in_subquery(own_sheets(viewer)))
        .order_by_asc(table::Column::Id)
        .select_only()
        .columns([table::Column::SheetId, table::Column::Id])
        .into_tuple()
        .all(db)
        .await?;
    let mut pages: HashMap<Uuid, Vec<Uuid>> = HashMap::new();
    for (revision, page) in rows {
        pages.entry(revision).or_default().push(page);
    }
    Ok(pages)
}

/// A page, small or large.
pub async fn page(db: &Connection, viewer: &Viewer, id: Uuid, large: bool) -> Result<Vec<u8>, StoreError> {
    let own = table::Entity::find_by_id(id).filter(table::Column::SheetId.in_subquery(own_sheets(viewer))).select_only();
    let column = if large { table::Column::Large } else { table::Column::Small };
    own.column(column).into_tuple().one(db).await?.ok_or(StoreError::NotFound)
}

/// Keys of the shop's revisions.
fn own_sheets(viewer: &Viewer) -> sea_orm::sea_query::SelectStatement {
    let engines =
        engine::Entity::find().filter(engine::Column::ShopId.eq(viewer.shop)).select_only().column(engine::Column::Id).into_query();
    sheet::Entity::find().filter(sheet::Column::EngineId.in_subquery(engines)).select_only().column(sheet::Column::Id).into_query()
}

async fn own_sheet(db: &Connection, viewer: &Viewer, revision: Uuid) -> Result<(), StoreError> {
    let own = sheet::Entity::find_by_id(revision).filter(sheet::Column::Id.in_subquery(own_sheets(viewer)));
    if own.count(db).await? > 0 { Ok(()) } else { Err(StoreError::NotFound) }
}
