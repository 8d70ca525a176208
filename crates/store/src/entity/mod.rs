//! The tables as SeaORM entities, a module a table. Columns are those of the migration; relations are asked for by key.
pub mod attempt;
pub mod capture;
pub mod engine;
pub mod entry;
pub mod former;
pub mod instrument;
pub mod job;
pub mod record;
pub mod session;
pub mod sheet;
pub mod shop;
pub mod summary;
pub mod user;
pub mod vehicle;
