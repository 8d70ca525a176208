//! Requests and answers, whatever they are about: who asks, what is refused, what a failure looks like.
pub mod assets;
mod error;
mod events;
pub mod form;
mod form_state;
#[cfg(test)]
mod fragments;
pub mod guard;
pub mod health;
pub mod metrics;
pub mod pack;
pub mod photo;
pub mod rights;
pub mod span;
pub mod upload;
mod visitor;

pub use error::Failure;
pub use events::events;
pub use form_state::FormState;
pub use visitor::{SESSION, SignedIn, TABLET, address, agent, came_from, needed_by, origin, preference_cookies, signed_in};
