//! How anything is drawn and said, whatever it is about.
pub mod assets;
mod chrome;
pub mod field;
mod liking;
pub mod picture;
pub mod show;
pub mod words;

pub use chrome::{Chrome, Place};
pub use liking::Liking;
pub use velvet_dial_core::count::{count, times};
