//! What a shop's own closed jobs say of an engine family.
//!
//! The causes of closed jobs are counts of a categorical variable; with a Dirichlet prior centred on the product's own shares and worth
//! [`OWN_JOBS`] jobs, the learned share of a cause is (own·prior + count)/(own + all counts) (Gelman et al., *Bayesian Data Analysis*,
//! 3rd ed., §3.4). Few jobs move little, many move all; it can be switched off by not handing it over, and it shows its numbers.
use crate::choice::choice;
use crate::knowledge::Knowledge;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use thiserror::Error;

/// How many jobs the product's own shares are worth.
pub const OWN_JOBS: f64 = 20.0;

/// How many jobs the card's own minutes are worth.
pub const OWN_TIMES: f64 = 3.0;
/// One job's times that are believed: what lies beyond is a day that was forgotten, or a slip of the key.
const BELIEVED: (f64, f64) = (0.25, 4.0);

choice! {
    /// How it is known what a job was.
    Known {
        /// With the engine open.
        Seen = "seen": "seen, with it open",
        /// It was put right, and the pressure came back.
        CameBack = "came_back": "the pressure came back after the repair",
        /// Nobody saw it.
        Supposed = "supposed": "supposed; nobody saw it",
    }
}

impl Known {
    /// A job so closed is counted.
    pub fn counts(self) -> bool {
        self != Self::Supposed
    }
}

/// How long closed jobs took beside what was planned.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Took {
    /// Jobs that said so.
    pub jobs: u32,
    /// Sum of the logarithms of minutes taken over minutes planned.
    pub log_times: f64,
}

impl Took {
    /// One job more.
    pub fn add(&mut self, took_min: f64, planned_min: f64) {
        if took_min > 0.0 && planned_min > 0.0 {
            self.jobs += 1;
            self.log_times += (took_min / planned_min).clamp(BELIEVED.0, BELIEVED.1).ln();
        }
    }

    /// It can be such a sum.
    pub(crate) fn holds(&self) -> bool {
        self.log_times.is_finite() && self.log_times.abs() <= BELIEVED.1.ln() * f64::from(self.jobs) + 1e-9
    }

    /// How many times the card's minutes this shop takes: the geometric mean, with the card's own worth [`OWN_TIMES`] jobs.
    pub fn times(&self) -> f64 {
        (self.log_times / (OWN_TIMES + f64::from(self.jobs))).exp()
    }
}

/// Causes proven in a shop's closed jobs on one engine family.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Memory {
    /// The family, in the shop's words.
    pub family: String,
    /// Closed jobs by their cause.
    pub closed: BTreeMap<String, u32>,
    /// How long they took.
    #[serde(default)]
    pub took: Took,
}

/// A memory that cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("“{cause}” is no cause known here, so its closed jobs cannot be counted")]
pub struct MemoryError {
    /// What was given.
    pub cause: String,
}

/// One cause's numbers.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Learned {
    /// The cause.
    pub cause: &'static str,
    /// Closed jobs it was found in.
    pub closed: u32,
    /// The product's own share.
    pub own: f64,
    /// The share with the shop's jobs.
    pub learned: f64,
}

impl Memory {
    /// A memory whose words are all known.
    ///
    /// # Errors
    /// [`MemoryError`] names the first word that is no cause.
    pub fn checked(self, know: &Knowledge) -> Result<Self, MemoryError> {
        match self.closed.keys().find(|cause| know.cause(cause).is_none()) {
            Some(cause) => Err(MemoryError { cause: cause.clone() }),
            None => Ok(self),
        }
    }

    /// Closed jobs in all.
    pub fn jobs(&self) -> u32 {
        self.closed.values().sum()
    }

    /// Every cause's numbers, in the knowledge's order; the learned shares sum to one as `own` does.
    pub fn learn(&self, know: &'static Knowledge, own: &[f64]) -> Vec<Learned> {
        let all = OWN_JOBS + f64::from(self.jobs());
        know.causes
            .iter()
            .zip(own)
            .map(|(cause, own)| {
                let closed = self.closed.get(&cause.id).copied().unwrap_or(0);
                Learned { cause: &cause.id, closed, own: *own, learned: (OWN_JOBS * own + f64::from(closed)) / all }
            })
            .collect()
    }
}
