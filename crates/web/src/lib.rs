//! The web application and its command line.
//!
//! A request goes: [`guard`] (headers, cross-site refusal) → a handler in [`page`] or [`stage`] → the store for a job → the core for what is known
//! of it → [`workbench`], which turns both into what a template prints → HTML. Arithmetic is in core, SQL in store, HTML in templates.
pub mod app;
pub mod assets;
pub mod command;
pub mod demo;
mod diagnosis;
mod error;
mod guard;
mod page;
mod picture;
mod routes;
mod show;
mod stage;
mod visitor;
pub mod workbench;
