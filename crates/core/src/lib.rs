//! Velvet Dial's core: the job of tracing low or lost oil pressure, without web, database or clock.
//!
//! The rooms stand in the order of the work: [`oil`], [`circuit`], [`instrument`], [`capture`], [`plausibility`], [`limits`], [`case`], [`trace`], [`flag`], and
//! [`diagnosis`], the facade that takes a whole case and says what is known of it, [`opened`] what is planned and measured with the engine open. [`calculator`] holds what is worked out beside
//! the job, [`record`] all that a job's report tells and [`signing`] what proves it. [`field`] holds every range and [`unit`] every unit.
#![deny(missing_docs, rustdoc::broken_intra_doc_links)]

pub mod adapter;
pub mod calculator;
pub mod capture;
pub mod case;
mod choice;
pub mod circuit;
pub mod clock;
pub mod count;
pub mod diagnosis;
pub mod experience;
pub mod field;
pub mod flag;
pub mod hex;
pub mod instrument;
mod json;
pub mod knowledge;
pub mod library_import;
pub mod limits;
pub mod live;
pub mod message;
pub mod methods;
pub mod oil;
pub mod opened;
pub mod plausibility;
pub mod pooled;
pub mod record;
mod refusal;
pub mod rigging;
pub mod rights;
pub mod running;
pub mod safety;
pub mod script;
pub mod signing;
pub mod stage;
pub mod start_up;
pub mod strip_down;
pub mod thread;
pub mod trace;
pub mod trade;
pub mod unit;
pub mod vehicle;
