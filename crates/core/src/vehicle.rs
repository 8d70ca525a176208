//! The seam between the workbench and what stands before it: a vehicle answers what is asked of it. Of a real one the technician answers; a practice engine and the
//! examiner's engines compute it, and neither screens nor tracer know the difference.
use crate::circuit::Working;
use crate::trace::{Step, Takeable};

/// A vehicle that answers.
pub trait Vehicle {
    /// What the test gauge at the port shows, kPa.
    fn gauge_kpa(&self, at: Working) -> f64;

    /// What a check shows, as the place of its outcome.
    fn outcome(&self, check: &str) -> usize;

    /// What a step shows, as the place of its outcome; `readings` are those that can be taken. A move of the bench shows nothing.
    fn answer(&self, step: &Step, readings: &[Takeable]) -> usize {
        match step {
            Step::Check(check) => self.outcome(check),
            Step::Reading(place) => readings.get(*place).map_or(0, |reading| reading.outcome_of(self.gauge_kpa(reading.at))),
            Step::Bench(..) => 0,
        }
    }

    /// The complaint is gone once this cause is repaired.
    fn is_cured_by(&self, cause: usize) -> bool;
}
