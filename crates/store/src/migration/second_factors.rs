//! A second factor beside the password.
use super::table::{at_or_none, points, table};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{big_integer, pk_uuid, text, var_binary};

pub struct SecondFactors;

impl MigrationName for SecondFactors {
    fn name(&self) -> &'static str {
        "m2026_12_23_second_factors"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for SecondFactors {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let factors = table("second_factors")
            .col(pk_uuid("user_id"))
            .foreign_key(&mut points("user_id", "users"))
            .col(var_binary("secret", 40))
            .col(at_or_none("confirmed_at"))
            .col(big_integer("last_step"))
            .col(text("recovery"))
            .take();
        manager.create_table(factors).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.drop_table(Table::drop().table("second_factors").if_exists().take()).await
    }
}
