//! The web application.
//!
//! A request goes: [`http`] (what is refused, who asks) → a handler in [`job`], [`shop`] or [`account`] → the store → the core for what is known of a job → the
//! screen's own view → HTML by [`ui`]. Arithmetic is in core, SQL in store, HTML in templates. `job`, `shop` and `account` import `http`, `ui` and `state`, never one
//! another (`practice` alone imports `job`, which its scenes are); those import nothing of them.
mod account;
mod api;
mod customer;
pub mod demo;
mod http;
mod job;
mod practice;
pub mod server;
mod shop;
pub mod state;
mod ui;

pub use api::{deliver, document as api_document};
pub use job::{log_until, work_out_outcomes};
