//! What every table of ours has alike. SeaORM's builder has no word for the length of a DATETIME's fraction, nor for two of the text and byte types.
use sea_orm_migration::prelude::*;
use sea_orm_migration::schema::uuid;

/// A table that is left alone where it stands already.
pub fn table(name: &'static str) -> TableCreateStatement {
    Table::create().table(name).if_not_exists().engine("InnoDB").character_set("utf8mb4").collate("utf8mb4_unicode_ci").take()
}

/// UTC, to the microsecond.
pub fn at(name: &'static str) -> ColumnDef {
    ColumnDef::new(name).custom("DATETIME(6)").not_null().take()
}

/// UTC, to the microsecond, or nothing.
pub fn at_or_none(name: &'static str) -> ColumnDef {
    ColumnDef::new(name).custom("DATETIME(6)").null().take()
}

/// Text of up to 16 MB.
pub fn long_text(name: &'static str) -> ColumnDef {
    ColumnDef::new(name).custom("MEDIUMTEXT").not_null().take()
}

/// Bytes.
pub fn long_bytes(name: &'static str) -> ColumnDef {
    ColumnDef::new(name).custom("LONGBLOB").not_null().take()
}

/// Drops a column where it is there: a way down that was cut short can be gone again.
pub async fn drop_column(manager: &SchemaManager<'_>, table: &'static str, column: &str) -> Result<(), DbErr> {
    if !manager.has_column(table, column).await? {
        return Ok(());
    }
    manager.alter_table(Table::alter().table(table).drop_column(Alias::new(column)).take()).await
}

/// A table with a key of another.
pub trait Refers {
    /// A column that holds the key of a row of `of`.
    fn refers(&mut self, column: &'static str, of: &'static str) -> &mut Self;
    /// Rows are told apart by these.
    fn unique(&mut self, columns: &[&'static str]) -> &mut Self;
}

impl Refers for TableCreateStatement {
    fn refers(&mut self, column: &'static str, of: &'static str) -> &mut Self {
        self.col(uuid(column)).foreign_key(&mut points(column, of))
    }

    fn unique(&mut self, columns: &[&'static str]) -> &mut Self {
        let mut index = Index::create().unique().name(columns.first().copied().unwrap_or_default()).to_owned();
        for column in columns {
            index.col(*column);
        }
        self.index(&mut index)
    }
}

/// A reference whose column stands already.
pub fn points(column: &'static str, of: &'static str) -> ForeignKeyCreateStatement {
    ForeignKey::create().from_col(column).to(of, "id").to_owned()
}
