//! Every test of the store in one program, so that it is linked once and its tests share one database server.
#![expect(clippy::indexing_slicing, clippy::unwrap_used, reason = "a test stops where it cannot go on")]
mod find;
mod ledger;
mod library;
mod live;
mod records;
mod rig;
