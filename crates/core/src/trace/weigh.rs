//! Bayes' rule over the states, and where every probability came from.
use crate::knowledge::Knowledge;

/// Something that moves the odds: a label and its log-likelihood for every state.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// What it is: `readings`, a circumstance's word, `check=outcome`, or `struck cause`.
    pub key: String,
    /// On a screen.
    pub label: String,
    /// ln P(finding | state), by state, up to a constant.
    pub log_likelihood: Vec<f64>,
}

/// Probabilities of states and causes, in the knowledge's order.
#[derive(Debug, Clone, PartialEq)]
pub struct Posterior {
    /// Of the states; sums to one.
    pub states: Vec<f64>,
    /// Of the causes: that it is present in the engine as it came in, alone or beside another. This is the figure that people see, on every screen; it does not sum
    /// to one.
    pub present: Vec<f64>,
    /// Of the causes: that it is present and came first; sums to one.
    pub came_first: Vec<f64>,
    /// For each finding and cause: how far it moved that cause, as natural log-odds against its absence.
    pub moved: Vec<Vec<f64>>,
}

impl Posterior {
    /// The posterior of states that are known, with nothing said about where they came from.
    pub fn of_states(know: &Knowledge, states: Vec<f64>) -> Self {
        Self { present: know.present(&states), came_first: know.fold(&states), states, moved: Vec::new() }
    }

    /// Causes by index, most probable first.
    pub fn ranked(&self) -> Vec<usize> {
        let mut order: Vec<usize> = (0..self.present.len()).collect();
        order.sort_by(|a, b| self.of(*b).total_cmp(&self.of(*a)).then(a.cmp(b)));
        order
    }

    /// The most probable cause.
    pub fn leader(&self) -> Option<usize> {
        self.ranked().first().copied()
    }

    /// Probability that a cause is present; 0 for an index that is none.
    pub fn of(&self, cause: usize) -> f64 {
        self.present.get(cause).copied().unwrap_or(0.0)
    }
}

/// The posterior over states and causes. `priors` are those of the causes; the order of the findings does not matter.
pub fn weigh(know: &Knowledge, priors: &[f64], findings: &[Finding]) -> Posterior {
    let logs: Vec<f64> = know
        .state_priors(priors)
        .iter()
        .enumerate()
        .map(|(state, prior)| prior.max(f64::MIN_POSITIVE).ln() + findings.iter().map(|finding| log_of(finding, state)).sum::<f64>())
        .collect();
    let states = softmax(&logs);
    let present = know.present(&states);
    let moved = findings
        .iter()
        .map(|finding| {
            let without: Vec<f64> = logs.iter().enumerate().map(|(state, log)| log - log_of(finding, state)).collect();
            let before = know.present(&softmax(&without));
            present.iter().zip(&before).map(|(after, before)| log_odds(*after) - log_odds(*before)).collect()
        })
        .collect();
    Posterior { moved, ..Posterior::of_states(know, states) }
}

/// Entropy of a distribution, bits.
pub fn entropy_bits(probability: &[f64]) -> f64 {
    -probability.iter().filter(|p| **p > 0.0).map(|p| p * p.log2()).sum::<f64>()
}

fn log_of(finding: &Finding, state: usize) -> f64 {
    finding.log_likelihood.get(state).copied().unwrap_or(0.0)
}

/// Natural log-odds of a probability, short of certainty.
pub(crate) fn log_odds(p: f64) -> f64 {
    let p = p.clamp(1e-12, 1.0 - 1e-12);
    (p / (1.0 - p)).ln()
}

fn softmax(logs: &[f64]) -> Vec<f64> {
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let raw: Vec<f64> = logs.iter().map(|log| (log - most).exp()).collect();
    let sum: f64 = raw.iter().sum();
    raw.into_iter().map(|p| p / sum).collect()
}
