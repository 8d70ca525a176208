//! The tables. Times are UTC in DATETIME(6); keys are UUIDv7 in BINARY(16).
//!
//! Every step can be run again after it was cut short, since MariaDB ends a transaction at each change of a table: what stands already is left. One server at a
//! time migrates, by a named lock of the database. What is added may be empty, so that an older server beside a newer one goes on writing.
//!
//! A step is written in SeaORM's builder. What it has no words for (a named lock, an update from another table) is SQL, with the reason beside it.
mod added_column;
mod comebacks;
mod customer_links;
mod drive_not_said;
mod entry_hash;
mod first_owner;
mod foreman_requests;
mod invitations;
mod last_change;
mod learning;
mod marks_and_search;
mod outcomes;
mod patterns_and_sheet_pages;
mod practice_tasks;
mod programs;
mod proof;
mod rigs_photos_adapters;
mod search_keys;
mod second_factors;
mod shop_events;
mod shops_engines_jobs;
mod summaries_records_sign_in;
mod table;
mod tablets;

use sea_orm_migration::prelude::*;
use sea_orm_migration::sea_orm::{ConnectOptions, Database, DatabaseConnection, DbBackend, Statement};
use std::collections::HashSet;

/// Seconds one server waits for another that migrates.
const PATIENCE_S: u32 = 120;

/// Brings the tables up to date, on a connection of its own because the lock belongs to one.
pub async fn bring_up(mut options: ConnectOptions) -> Result<(), DbErr> {
    let alone = Database::connect(options.max_connections(1).min_connections(1).to_owned()).await?;
    let lock = format!("SELECT GET_LOCK('velvet_dial_migration', {PATIENCE_S}) AS taken");
    let row = alone.query_one_raw(Statement::from_string(DbBackend::MySql, lock)).await?;
    if row.and_then(|row| row.try_get::<i64>("", "taken").ok()) != Some(1) {
        return Err(DbErr::Custom("another server has been changing the tables for two minutes; try again when it is done".to_owned()));
    }
    // The lock goes with the connection, whatever happens.
    let done = up(&alone).await;
    alone.close().await?;
    done
}

/// True where tables stand, and a step is missing.
pub async fn is_behind(options: ConnectOptions) -> Result<bool, DbErr> {
    let db = Database::connect(options).await?;
    let stands = SchemaManager::new(&db).has_table("seaql_migrations").await?;
    let behind = stands && {
        let applied: HashSet<String> = Migrator::get_migration_models(&db).await?.into_iter().map(|step| step.version).collect();
        !applied.is_empty() && !Migrator::migrations().iter().all(|step| applied.contains(step.name()))
    };
    db.close().await?;
    Ok(behind)
}

/// Takes the steps that are missing. Where none of ours is, a newer server has gone on: what it added may be empty, so this one works on the same tables.
async fn up(db: &DatabaseConnection) -> Result<(), DbErr> {
    Migrator::install(db).await?;
    let applied: HashSet<String> = Migrator::get_migration_models(db).await?.into_iter().map(|step| step.version).collect();
    if Migrator::migrations().iter().all(|step| applied.contains(step.name())) { Ok(()) } else { Migrator::up(db, None).await }
}

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![
            Box::new(shops_engines_jobs::ShopsEnginesJobs),
            Box::new(search_keys::SearchKeys),
            Box::new(summaries_records_sign_in::SummariesRecordsSignIn),
            Box::new(rigs_photos_adapters::RigsPhotosAdapters),
            Box::new(marks_and_search::MarksAndSearch),
            Box::new(patterns_and_sheet_pages::PatternsAndSheetPages),
            Box::new(customer_links::CustomerLinks),
            Box::new(entry_hash::EntryHash),
            Box::new(learning::Learning),
            Box::new(comebacks::Comebacks),
            Box::new(proof::Proof),
            Box::new(added_column::SUMMARY_TOLD_BY),
            Box::new(added_column::PATTERN_CASES),
            Box::new(added_column::SHOP_WAYS),
            Box::new(added_column::SHEET_BESIDES),
            Box::new(drive_not_said::DriveNotSaid),
            Box::new(added_column::SCENE_SEED),
            Box::new(added_column::SCENE_GRADE),
            Box::new(added_column::SCENE_ENDED),
            Box::new(added_column::PRACTICE_OF),
            Box::new(added_column::SCENE_GIVEN),
            Box::new(added_column::SCENE_TASK),
            Box::new(added_column::SCENE_RESULT),
            Box::new(added_column::SCENE_CLEARED),
            Box::new(practice_tasks::PracticeTasks),
            Box::new(added_column::USER_ROLE),
            Box::new(first_owner::FirstOwner),
            Box::new(foreman_requests::ForemanRequests),
            Box::new(invitations::Invitations),
            Box::new(added_column::FIRST_DAY),
            Box::new(shop_events::ShopEvents),
            Box::new(tablets::Tablets),
            Box::new(added_column::KEEPS_CUSTOMERS),
            Box::new(programs::Programs),
            Box::new(outcomes::Outcomes),
            Box::new(second_factors::SecondFactors),
            Box::new(added_column::AWAITS_CODE),
            Box::new(last_change::LastChange),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::drive_not_said::DriveNotSaid;
    use super::*;
    use velvet_dial_testkit::fresh_database;

    /// Every column and every index there is, a line each.
    async fn tables(db: &crate::Connection) -> Vec<String> {
        let columns = "SELECT CONCAT_WS(' ', table_name, column_name, column_type, is_nullable, COALESCE(collation_name, '')) AS line
            FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name <> 'seaql_migrations' ORDER BY 1";
        let indexes = "SELECT CONCAT_WS(' ', table_name, index_name, non_unique, GROUP_CONCAT(column_name ORDER BY seq_in_index)) AS line
            FROM information_schema.statistics WHERE table_schema = DATABASE() AND table_name <> 'seaql_migrations' GROUP BY table_name, index_name, non_unique ORDER BY 1";
        let mut lines = Vec::new();
        for sql in [columns, indexes] {
            for row in db.query_all_raw(Statement::from_string(DbBackend::MySql, sql)).await.unwrap_or_default() {
                lines.extend(row.try_get::<String>("", "line"));
            }
        }
        lines
    }

    /// A newer server has taken a step that this one does not know: it goes on with the same tables.
    #[tokio::test]
    async fn a_newer_servers_step_keeps_nobody_out() -> Result<(), DbErr> {
        let options = ConnectOptions::new(fresh_database().await);
        assert!(!is_behind(options.clone()).await?, "an empty database has nothing to back up");
        bring_up(options.clone()).await?;
        assert!(!is_behind(options.clone()).await?);
        let db = Database::connect(options.clone()).await?;
        let later = "INSERT INTO seaql_migrations (version, applied_at) VALUES ('m2999_01_01_later', 0)";
        db.execute_unprepared(later).await?;
        bring_up(options.clone()).await?;
        // Where one of its own is missing beside it, nobody knows what the tables are.
        db.execute_unprepared("DELETE FROM seaql_migrations WHERE version LIKE '%told_by'").await?;
        assert!(is_behind(options.clone()).await? && bring_up(options).await.is_err());
        Ok(())
    }

    /// A card that always said the crank says nothing of the pump's drive any more; one that says something else keeps it.
    #[tokio::test]
    async fn a_drive_that_nobody_chose_is_left_open() -> Result<(), DbErr> {
        let db = Database::connect(fresh_database().await).await?;
        Migrator::up(&db, None).await?;
        let steps = Migrator::migrations();
        let since = steps.iter().rev().take_while(|step| step.name() != DriveNotSaid.name()).count() as u32 + 1;
        Migrator::down(&db, Some(since)).await?;
        let shop = "INSERT INTO shops (id, name) VALUES (UNHEX(REPEAT('0', 32)), 'S')";
        let engine = |id: char, drive: &str| {
            format!(
                r#"INSERT INTO engines (id, shop_id, name, card) VALUES (UNHEX(REPEAT('{id}', 32)), UNHEX(REPEAT('0', 32)), '{id}', '{{"layout":{{"turbo":true,"pump_drive":"{drive}"}}}}')"#
            )
        };
        for sql in [shop.to_owned(), engine('1', "crank"), engine('2', "shaft")] {
            db.execute_unprepared(&sql).await?;
        }
        Migrator::up(&db, None).await?;
        let rows = db.query_all_raw(Statement::from_string(DbBackend::MySql, "SELECT card FROM engines ORDER BY name")).await?;
        let cards: Vec<String> = rows.iter().map(|row| row.try_get("", "card")).collect::<Result<_, _>>()?;
        assert_eq!(cards.len(), 2);
        assert!(!cards[0].contains("pump_drive") && cards[0].contains("turbo") && cards[1].contains("shaft"), "{cards:?}");
        Ok(())
    }

    /// Every step goes down and up again, and leaves the same tables; all the way down leaves none.
    #[tokio::test]
    async fn every_step_has_a_way_down_and_up_again() -> Result<(), DbErr> {
        let db = Database::connect(fresh_database().await).await?;
        Migrator::up(&db, None).await?;
        let whole = tables(&db).await;
        let applied = Migrator::get_applied_migrations(&db).await?.len();
        assert!(whole.len() > 100 && whole.iter().any(|line| line.starts_with("summaries stage")), "{whole:?}");
        let steps = applied as u32;
        for down in 1..=steps {
            Migrator::down(&db, Some(down)).await?;
            let left = tables(&db).await;
            // The last step changes what stands in a table, and no table.
            assert!((left.len() < whole.len() || down == 1) && (down < steps || left.is_empty()), "{down} steps down: {left:?}");
            Migrator::up(&db, None).await?;
            // The order of an index's making leaves no trace but for plates, which the first step finds by another.
            assert_eq!(tables(&db).await, whole, "{down} steps down and up");
        }
        Ok(())
    }
}
