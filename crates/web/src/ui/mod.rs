//! How anything is drawn and said, whatever it is about.
pub mod assets;
mod chrome;
pub mod field;
pub mod picture;
mod preferences;
pub mod show;
pub mod words;

pub use chrome::{Chrome, Place};
pub use preferences::DisplayPreferences;
pub use velvet_dial_core::count::{count, times};
