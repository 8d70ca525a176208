//! Requests and answers, whatever they are about: who asks, what is refused, what a failure looks like.
pub mod assets;
mod error;
pub mod form;
#[cfg(test)]
mod fragments;
pub mod guard;
pub mod health;
pub mod pack;
pub mod photo;
mod slip;
pub mod span;
mod visitor;

pub use error::Failure;
pub use slip::Slip;
pub use visitor::{SESSION, SignedIn, address, liking_cookies};
