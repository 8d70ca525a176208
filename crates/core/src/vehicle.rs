//! The seam between the workbench and what stands before it: a vehicle answers what is asked of it. Of a real one the technician answers; a practice engine and the
//! examiner's engines compute it, and neither screens nor tracer know the difference.
use crate::circuit::Working;

/// A vehicle that answers.
pub trait Vehicle {
    /// What the test gauge at the port shows, kPa.
    fn gauge_kpa(&self, at: Working) -> f64;

    /// What a check shows, as the place of its outcome.
    fn outcome(&self, check: &str) -> usize;

    /// The complaint is gone once this cause is repaired.
    fn is_cured_by(&self, cause: usize) -> bool;
}
