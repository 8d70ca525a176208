//! What is found behind an opening waits for the customer's yes.
use velvet_dial_core::trace::knowledge::{Access, Check, knowledge};
use velvet_dial_store::jobs::{Body, Job};

/// What is said where it is missing.
pub const YES_FIRST: &str = "The customer's yes comes first: nobody said it yet. Take it down here, or say why it is opened without.";

/// True while a check may not be answered: it opens the engine, nobody said yes to that, and it was not open before.
pub fn waits_for_yes(job: &Job, check: &Check) -> bool {
    let opens = |check: &Check| check.access(&job.engine.card) != Access::Outside;
    let said = |body: &Body| match body {
        Body::Agreed { .. } => true,
        Body::Evidence { check, .. } => knowledge().check(check).is_some_and(opens),
        _ => false,
    };
    opens(check) && !job.live().any(|entry| said(&entry.body))
}
