//! What turns the pump is something a card may leave open. Until now a card always said *the crank*, since that stood first in the form, and nothing went by it; from here on a pump on the crank lies behind the
//! front cover. So what nobody chose is taken out of the cards that say it; whoever knows it says it again.
use sea_orm_migration::prelude::*;

pub struct DriveNotSaid;

impl MigrationName for DriveNotSaid {
    fn name(&self) -> &'static str {
        "m2026_12_12_drive_not_said"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for DriveNotSaid {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        // SQL, because the builder has no word for a key inside of JSON.
        let sql =
            "UPDATE engines SET card = JSON_REMOVE(card, '$.layout.pump_drive') WHERE JSON_VALUE(card, '$.layout.pump_drive') = 'crank'";
        manager.get_connection().execute_unprepared(sql).await?;
        Ok(())
    }

    /// A card that says nothing is read as one that says the crank by a program of before.
    async fn down(&self, _: &SchemaManager) -> Result<(), DbErr> {
        Ok(())
    }
}
