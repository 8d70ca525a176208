//! Before there were roles, everybody could do everything. Somebody has to answer for a shop and its people: the first of each who may still sign in; the others are foremen.
use sea_orm_migration::prelude::*;

pub struct FirstOwner;

impl MigrationName for FirstOwner {
    fn name(&self) -> &'static str {
        "m2026_12_18_first_owner"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for FirstOwner {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        // SQL, because the builder has no word for an update from another table.
        let owners = "UPDATE users JOIN (SELECT shop_id, MIN(id) AS first FROM users WHERE removed_at IS NULL GROUP BY shop_id) AS oldest
            ON users.id = oldest.first SET users.role = 'owner' WHERE users.role IS NULL";
        manager.get_connection().execute_unprepared(owners).await?;
        manager.get_connection().execute_unprepared("UPDATE users SET role = 'foreman' WHERE role IS NULL").await?;
        Ok(())
    }

    /// The column goes with its own step.
    async fn down(&self, _: &SchemaManager) -> Result<(), DbErr> {
        Ok(())
    }
}
