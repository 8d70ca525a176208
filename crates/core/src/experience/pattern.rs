//! Known patterns of an engine family: what is known to fail on it, by whom.
//!
//! A pattern multiplies the odds of its cause before anything is found, and nothing else: what is read and looked at moves it like any other cause, and the proof stays a reading. Beside a
//! shop's memory of its own jobs both count; a pattern that was made of these very jobs would count them twice, so it belongs to what others say.
use crate::knowledge::Knowledge;
use serde::{Deserialize, Serialize};

/// A pattern with its source.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KnownPattern {
    /// The cause.
    pub cause: String,
    /// How many times as likely it is as on other engines, 1.1 to 20; more, up to 200, where so many cases were counted.
    pub times: f64,
    /// In how many cases it was counted; none where it is what somebody says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cases: Option<u32>,
    /// Who says so, or where it stands.
    pub source: String,
}

/// What somebody says of a family may raise a cause this many times at most.
pub const MOST_SAID: f64 = 20.0;

impl KnownPattern {
    /// The most that this pattern may raise its cause by: what was counted, as many times as there were cases.
    pub fn most(&self) -> f64 {
        self.cases.map_or(MOST_SAID, |cases| f64::from(cases).max(MOST_SAID))
    }
}

/// Odds of the causes before anything was found, raised by what is known of the family; they sum to what they summed to.
pub fn raised(know: &Knowledge, priors: Vec<f64>, patterns: &[KnownPattern]) -> Vec<f64> {
    let sum: f64 = priors.iter().sum();
    patterns.iter().fold(priors, |mut shares, known| {
        let Some(own) = know.cause(&known.cause).and_then(|cause| shares.get_mut(cause)) else { return shares };
        *own *= known.times;
        let all: f64 = shares.iter().sum();
        shares.iter_mut().for_each(|share| *share *= sum / all);
        shares
    })
}

/// Two names of a family are one: capitals make no other.
pub fn same_family(one: &str, other: &str) -> bool {
    one.to_lowercase() == other.to_lowercase()
}
