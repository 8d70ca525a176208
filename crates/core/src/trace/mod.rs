//! From readings and findings to causes, and to the next check.
//!
//! Words: a *hypothesis* is a cause with its draws; the [`Tracer`] of an engine keeps, for every operating point asked, the pressure
//! each draw would give, so that one more reading only re-weights. A *finding* is anything that moves the odds: the readings
//! together, one check's outcome, one circumstance. [`weigh`] joins them by Bayes' rule; [`next_checks`] asks every check not yet
//! done what it may be expected to tell for its minutes.
pub mod knowledge;
mod next;
mod tracer;
mod weigh;

pub use next::{Proposal, next_checks, settled};
pub use tracer::{Bearing, Local, Pressures, Tracer};
pub use weigh::{Finding, Posterior, entropy_bits, weigh};
