//! Engines with a hidden fault that are not built as the tracer assumes, so that nothing is marked by its own assumptions.
//!
//! A healthy engine of another structure ([`rival`], [`stranger`]) is drawn by the habit of one of ten makers ([`habit`]), broken, and read with a real gauge. What a
//! technician would have of it is its card, its sheet and its readings ([`blind`]). The examiner counts how often the tracer finds the fault; the practice bench gives
//! it to a person to find.
mod blind;
mod build;
mod engine;
mod habit;
mod rival;
mod stranger;
mod throws;

pub use blind::{Answering, Blind, Engine, Standing, is_true, keep_what_shows, noted_kpa, sound_outcome};
pub use habit::{HABITS, Habit};
