//! A cause struck out by a person: only on a fact, and only as long as the fact stands.
use super::weigh::Finding;
use crate::knowledge::Knowledge;
use serde::{Deserialize, Serialize};

/// A cause struck out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Exclusion {
    /// The cause.
    pub cause: String,
    /// The key of the finding it rests on: `check=outcome`, a circumstance's word, or `readings`.
    pub because: String,
}

/// What a struck cause keeps: nothing a rounded number shows, yet enough that a later fact can speak against the strike.
const STRUCK: f64 = 1e-9;

/// The exclusions whose fact is among the findings, as findings of their own; the others have come back.
pub fn standing(know: &Knowledge, exclusions: &[Exclusion], findings: &[Finding]) -> Vec<Finding> {
    exclusions
        .iter()
        .filter(|strike| findings.iter().any(|finding| finding.key == strike.because))
        .filter_map(|strike| {
            let cause = know.cause(&strike.cause)?;
            let name = know.causes.get(cause).map(|cause| cause.name.as_str())?;
            let log_likelihood = know
                .hypotheses
                .iter()
                .flat_map(|hypothesis| [if hypothesis.holds(cause) { f64::ln(STRUCK) } else { 0.0 }; crate::knowledge::BANDS])
                .collect();
            Some(Finding { key: format!("struck {}", strike.cause), label: format!("Ruled out: {name}"), log_likelihood })
        })
        .collect()
}
