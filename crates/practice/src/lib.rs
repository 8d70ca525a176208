//! The practice bench: a vehicle with a complaint and a hidden fault, and the whole work of finding it, at its price in minutes and money.
//!
//! A [`scene`] follows from its seed and [`grade`]: vehicle, what the customer says (some of it misleading), the shop's sheet or none, a gauge that may be off, and
//! one fault, a pair, or none. [`play`] is what was done in it. [`marks`] says what that is worth, for proof and not for luck. [`bots`] play five ways that people
//! work, so that the marks can be held against what every foreman knows. Nothing here touches a job of the shop.
pub mod aftermath;
pub mod bots;
pub mod condition;
pub mod course;
pub mod grade;
pub mod hints;
pub mod marks;
pub mod play;
pub mod proving;
pub mod run_file;
pub mod scene;
pub mod senses;
pub mod stock;
pub mod written;
