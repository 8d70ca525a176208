//! What a shop's own closed jobs say of an engine family.
//!
//! The causes of closed jobs are counts of a categorical variable; with a Dirichlet prior centred on the product's own shares and worth
//! [`OWN_JOBS`] jobs, the learned share of a cause is (own·prior + count)/(own + all counts) (Gelman et al., *Bayesian Data Analysis*,
//! 3rd ed., §3.4). Few jobs move little, many move all; it can be switched off by not handing it over, and it shows its numbers.
use super::knowledge::Knowledge;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use thiserror::Error;

/// How many jobs the product's own shares are worth.
pub const OWN_JOBS: f64 = 20.0;

/// Causes proven in a shop's closed jobs on one engine family.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Memory {
    /// The family, in the shop's words.
    pub family: String,
    /// Closed jobs by their cause.
    pub closed: BTreeMap<String, u32>,
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
