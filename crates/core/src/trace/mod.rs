//! From readings and findings to causes, and to the next step.
//!
//! Words: a *state* is a cause, or a pair of causes, with its severity in a band; the [`Tracer`] of an engine keeps, for every operating
//! point asked, the pressure each of its draws would give, so that one more reading only re-weights. A *finding* is anything that moves the
//! odds: the readings together, one check's outcome, one circumstance, a cause struck out. [`weigh`] joins them by Bayes' rule;
//! [`next_steps`] asks every check, reading and move of the bench what it may be expected to tell for its price, [`plan`] what a whole order of them
//! would cost, and [`crate::experience`] brings in what the shop has closed before.
mod bench;
mod correlated_findings;
mod exclusion;
mod left;
mod next;
mod samples;
mod strategy;
mod tracer;
mod weigh;
mod weighing;

pub(crate) use bench::HOT_FROM_C;
pub use bench::{Allowed, BenchState, Move, Situation, Takeable, state_of};
pub use correlated_findings::lightened;
pub use exclusion::{Exclusion, standing};
pub use left::{BAND, Flows, Left};
pub use next::{
    BY_HAND, Effect, Enough, Proposal, Step, Turn, effects, enough, leader_of, next_steps, overturn, price_if_wrong, proof_among, proof_of,
    settled,
};
pub use samples::Assumed;
pub use strategy::{Next, Plan, Strategy, Until, Walk, ordered, pick, plan, plans};
pub use tracer::{Ahead, Bearing, Local, Pressures, Tracer};
pub(crate) use weigh::log_odds;
pub use weigh::{Finding, Posterior, entropy_bits, weigh};
