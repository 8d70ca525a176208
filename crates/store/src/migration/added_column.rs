//! A step that adds one column, which may be empty.
use super::table::{at_or_none, drop_column};
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::{
    big_integer_null, boolean_null, char_len_null, small_integer_null, string_len_null, text_null, unsigned_null,
};

pub struct AddedColumn {
    name: &'static str,
    table: &'static str,
    column: fn() -> ColumnDef,
}

/// A summary names the state of the program that told it, so that only what another one told is told anew.
pub const SUMMARY_TOLD_BY: AddedColumn =
    AddedColumn { name: "m2026_12_08_told_by", table: "summaries", column: || char_len_null("told_by", 32) };
/// A known pattern says in how many cases it was counted.
pub const PATTERN_CASES: AddedColumn =
    AddedColumn { name: "m2026_12_10_pattern_cases", table: "patterns", column: || unsigned_null("cases") };

/// Where mechanics differ, a shop says which way it goes: ways by question, as JSON.
pub const SHOP_WAYS: AddedColumn = AddedColumn { name: "m2026_12_12_shop_ways", table: "shops", column: || text_null("ways") };

/// What a sheet says beside its limits, as JSON.
pub const SHEET_BESIDES: AddedColumn = AddedColumn { name: "m2026_12_12_sheet_besides", table: "sheets", column: || text_null("besides") };

/// A job of the practice bench says which scene it is, and when it was handed back.
pub const SCENE_SEED: AddedColumn =
    AddedColumn { name: "m2026_12_14_scene_seed", table: "jobs", column: || big_integer_null("scene_seed") };
pub const SCENE_GRADE: AddedColumn =
    AddedColumn { name: "m2026_12_14_scene_grade", table: "jobs", column: || small_integer_null("scene_grade") };
pub const SCENE_ENDED: AddedColumn =
    AddedColumn { name: "m2026_12_14_scene_ended_at", table: "jobs", column: || at_or_none("scene_ended_at") };
/// How a scene was given, by which task, and what came of it.
pub const SCENE_GIVEN: AddedColumn = AddedColumn { name: "m2026_12_16_scene_given", table: "jobs", column: || text_null("scene_given") };
pub const SCENE_TASK: AddedColumn =
    AddedColumn { name: "m2026_12_16_scene_task", table: "jobs", column: || ColumnDef::new("scene_task").binary_len(16).null().to_owned() };
pub const SCENE_RESULT: AddedColumn = AddedColumn { name: "m2026_12_16_scene_result", table: "jobs", column: || text_null("scene_result") };
pub const SCENE_CLEARED: AddedColumn =
    AddedColumn { name: "m2026_12_16_scene_cleared_at", table: "jobs", column: || at_or_none("scene_cleared_at") };
/// A shop may be the practice bench of another.
pub const PRACTICE_OF: AddedColumn = AddedColumn {
    name: "m2026_12_14_practice_of",
    table: "shops",
    column: || ColumnDef::new("practice_of").binary_len(16).null().unique_key().to_owned(),
};

/// What somebody is in the shop.
pub const USER_ROLE: AddedColumn = AddedColumn { name: "m2026_12_18_user_role", table: "users", column: || string_len_null("role", 20) };

/// A shop is still on the path of its first day; none was there before that path was.
pub const FIRST_DAY: AddedColumn = AddedColumn { name: "m2026_12_18_first_day", table: "shops", column: || boolean_null("first_day") };

/// How long a shop keeps the customers of closed jobs.
pub const KEEPS_CUSTOMERS: AddedColumn =
    AddedColumn { name: "m2026_12_20_keeps_customers", table: "shops", column: || small_integer_null("keeps_customers_months") };

/// A session waits for its second factor.
pub const AWAITS_CODE: AddedColumn =
    AddedColumn { name: "m2026_12_23_awaits_code", table: "sessions", column: || boolean_null("awaits_code") };

impl MigrationName for AddedColumn {
    fn name(&self) -> &str {
        self.name
    }
}

#[async_trait::async_trait]
impl MigrationTrait for AddedColumn {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.alter_table(Table::alter().table(self.table).add_column_if_not_exists((self.column)()).take()).await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        drop_column(manager, self.table, &(self.column)().get_column_name()).await
    }
}
