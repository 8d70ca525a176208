//! Bayes' rule over the causes, and where every probability came from.
use super::knowledge::Knowledge;

/// Something that moves the odds: a label and its log-likelihood for every cause.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// What it is, as `check=outcome`, a circumstance's word or `readings`.
    pub key: String,
    /// On a screen.
    pub label: String,
    /// ln P(finding | cause), by cause, up to a constant.
    pub log_likelihood: Vec<f64>,
}

/// Probabilities of all causes, in the knowledge's order.
#[derive(Debug, Clone, PartialEq)]
pub struct Posterior {
    /// Sums to one.
    pub probability: Vec<f64>,
    /// For each finding and cause: how far it moved that cause, as natural log-odds against all others.
    pub moved: Vec<Vec<f64>>,
}

impl Posterior {
    /// Causes by index, most probable first.
    pub fn ranked(&self) -> Vec<usize> {
        let mut order: Vec<usize> = (0..self.probability.len()).collect();
        order.sort_by(|a, b| self.of(*b).total_cmp(&self.of(*a)).then(a.cmp(b)));
        order
    }

    /// Probability of a cause; 0 for an index that is none.
    pub fn of(&self, cause: usize) -> f64 {
        self.probability.get(cause).copied().unwrap_or(0.0)
    }
}

/// The posterior over the causes. The order of the findings does not matter.
pub fn weigh(know: &Knowledge, findings: &[Finding]) -> Posterior {
    let logs: Vec<f64> =
        (0..know.causes.len()).map(|cause| prior(know, cause) + findings.iter().map(|f| log_of(f, cause)).sum::<f64>()).collect();
    let probability = softmax(&logs);
    let moved = findings
        .iter()
        .map(|finding| {
            let without: Vec<f64> = logs.iter().enumerate().map(|(cause, log)| log - log_of(finding, cause)).collect();
            let before = softmax(&without);
            probability.iter().zip(&before).map(|(after, before)| log_odds(*after) - log_odds(*before)).collect()
        })
        .collect();
    Posterior { probability, moved }
}

/// Entropy of a distribution, bits.
pub fn entropy_bits(probability: &[f64]) -> f64 {
    -probability.iter().filter(|p| **p > 0.0).map(|p| p * p.log2()).sum::<f64>()
}

fn prior(know: &Knowledge, cause: usize) -> f64 {
    know.causes.get(cause).map_or(f64::NEG_INFINITY, |c| c.prior.ln())
}

fn log_of(finding: &Finding, cause: usize) -> f64 {
    finding.log_likelihood.get(cause).copied().unwrap_or(0.0)
}

fn log_odds(p: f64) -> f64 {
    let p = p.clamp(1e-12, 1.0 - 1e-12);
    (p / (1.0 - p)).ln()
}

fn softmax(logs: &[f64]) -> Vec<f64> {
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let raw: Vec<f64> = logs.iter().map(|log| (log - most).exp()).collect();
    let sum: f64 = raw.iter().sum();
    raw.into_iter().map(|p| p / sum).collect()
}
