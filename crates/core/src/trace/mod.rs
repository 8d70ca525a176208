//! From readings and findings to causes, and to the next check.
//!
//! Words: a *state* is a cause, or a pair of causes, with its severity in a band; the [`Tracer`] of an engine keeps, for every operating
//! point asked, the pressure each of its draws would give, so that one more reading only re-weights. A *finding* is anything that moves the
//! odds: the readings together, one check's outcome, one circumstance, a cause struck out. [`weigh`] joins them by Bayes' rule;
//! [`next_checks`] asks every check not yet done what it may be expected to tell for its price, [`plan`] what a whole order of checks would
//! cost, and [`Memory`] brings in what the shop has closed before.
mod draws;
pub mod knowledge;
mod memory;
mod next;
mod order;
mod strike;
mod tracer;
mod weigh;

pub use memory::{Learned, Memory, MemoryError, OWN_JOBS};
pub(crate) use next::leader_of;
pub use next::{Bench, ENOUGH, Enough, Proposal, Turn, enough, next_checks, overturn, settled};
pub use order::{Order, Plan, Until, in_order, plan};
pub(crate) use order::{Walk, pick};
pub use strike::{Strike, standing};
pub use tracer::{Bearing, Local, Pressures, Tracer};
pub use weigh::{Finding, Posterior, entropy_bits, weigh};
