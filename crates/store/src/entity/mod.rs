//! The tables as SeaORM entities, a module a table. Columns are those of the migration; relations are asked for by key.
pub mod shop;
pub mod user;
pub mod session;
pub mod vehicle;
pub mod engine;
pub mod sheet;
pub mod instrument;
pub mod job;
pub mod entry;
pub mod capture;
